"""What is written on a chart: chords bar by bar, words, and their exchange as text."""
