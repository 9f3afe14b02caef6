"""The stage: the server's side of the engine, its socket, presses, recordings."""
