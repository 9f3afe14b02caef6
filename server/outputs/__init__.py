"""Rigs with their sockets, feeds with their sends, and the patch between them."""
