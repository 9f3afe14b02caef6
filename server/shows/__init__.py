"""Shows: a setlist on a rig with a line-up; the show document; the way to the engine."""
