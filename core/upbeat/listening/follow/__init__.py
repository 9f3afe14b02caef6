"""Following players: where the beats and bars of a recording lie, and how sure that is."""
