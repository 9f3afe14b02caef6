"""Sounds by hand: short sounds of a band or of a song, fired on the spot (rule M9)."""
