"""The sounds of the click, synthesised here; where they fall is worked out in ``form.plan``."""
