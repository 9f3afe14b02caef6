"""Work that the worker does: asked for once, carried out, and its failure kept as a message."""
