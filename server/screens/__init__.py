"""Films and pictures that screens for the audience show with a song (rule B4)."""
