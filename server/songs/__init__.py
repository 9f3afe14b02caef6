"""Songs, their sections, forms and stems; edits with undo; the song as the core knows it."""
