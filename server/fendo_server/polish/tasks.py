"""Makes the handlers of this room known to the worker."""

from fendo_server.polish import jobs, loudness  # noqa: F401
