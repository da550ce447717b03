"""Makes the handlers of this room known to the worker."""

from fendo_server.picture import services  # noqa: F401
