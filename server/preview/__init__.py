"""Hearing a song in the browser, from the renderer that plays the show."""
