"""What goes to which socket: patches for other rigs, checks before the doors, why something is not heard."""
