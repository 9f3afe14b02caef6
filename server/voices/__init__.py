"""The band's cue voice, its own recordings of words, its own click sounds."""
