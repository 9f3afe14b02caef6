"""Bands, their members and players, and signing in by a link that works once."""
