"""Feeds, sends and patch (``routing``), which stems sound (``sounding``), the one renderer."""
