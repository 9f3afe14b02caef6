"""The sounds of the click, synthesised here; ``play.compile`` places them."""
