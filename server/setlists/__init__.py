"""Setlists: the running order and what happens between entries."""
