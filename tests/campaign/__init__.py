"""The campaign: what may happen to a running Yaila, done to one on purpose, at length."""
