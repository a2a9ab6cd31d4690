"""Rules and computation of the job: pure, without interface, database or network."""
