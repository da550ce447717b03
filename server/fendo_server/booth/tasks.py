"""Makes the worker know this room's jobs."""

from fendo_server.booth import capture, cutting  # noqa: F401
