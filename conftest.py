"""For the tests of every package: how long an example takes says nothing on a machine that others share."""

from hypothesis import settings

settings.register_profile("untimed", deadline=None)
settings.load_profile("untimed")
