"""What is said to the band alone: words, the voice that speaks them, where they fall."""
