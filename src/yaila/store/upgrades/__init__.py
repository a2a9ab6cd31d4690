"""Steps by which the tables of an older store become those of today, run by Alembic."""
