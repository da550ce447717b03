"""Makes the handlers of this room known to the worker."""

from fendo_server.polish import jobs, loudness, whole_length  # noqa: F401
