"""Makes the handlers of this room known to the worker."""

from fendo_server.handover import jobs, opening  # noqa: F401
