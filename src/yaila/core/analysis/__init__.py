"""What the pixels of a film's plates say: where they overlap, how they fit, their tones, outlines of their land."""
