"""A shared machine stands still now and then: no property is judged by the clock."""

from hypothesis import settings

settings.register_profile("fendo", deadline=None)
settings.load_profile("fendo")
