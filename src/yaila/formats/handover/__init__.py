"""What other programs take over from a film: its camera in space, its timeline, its words, its shots."""
