"""The shelf of loops: what ships with the product, and what a loop that was brought is."""
