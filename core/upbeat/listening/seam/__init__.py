"""Joins of sections: whether they will be heard, why, and what would mend them."""
