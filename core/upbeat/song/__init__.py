"""Songs as they are written (``song``), compiled for playing (``plan``), and played (``transport``)."""
