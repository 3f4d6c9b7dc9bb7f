"""Lists of signals that come from design again and again: read, compared with the plant, taken over, given out."""
