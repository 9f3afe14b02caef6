"""The show document: its schema, reading it into plain data, the bundle, making it ready to play, bouncing it offline."""
