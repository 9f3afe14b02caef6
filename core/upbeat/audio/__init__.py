"""Sound files: reading them without trust, preparing them for playing, measuring, writing."""
