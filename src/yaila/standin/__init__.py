"""The practice world: an invented archipelago, the same every time."""
