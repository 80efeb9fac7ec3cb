"""How thoroughly properties are tried: ``--hypothesis-profile=long`` for a night's run."""

from hypothesis import settings

settings.register_profile("long", max_examples=100_000, deadline=None)
settings.register_profile("short", max_examples=400, deadline=None)
settings.load_profile("short")
