"""Work that the worker does: asked for once, carried out, and told of where it cannot be."""
