"""Makes the handlers of this room known to the worker."""

from django.db import connections
from procrastinate.contrib.django import app

from fendo_server.handover import jobs, opening  # noqa: F401


@app.periodic(cron="* * * * *")
@app.task(name="forget_failed_archives", queue="housekeeping", queueing_lock="forget_failed_archives")
def forget_failed_archives(timestamp: int) -> None:
    """What stood in for archives that could not be opened goes."""
    try:
        opening.forget_failed()
    finally:
        connections.close_all()
