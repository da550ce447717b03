"""Makes the worker know this room's jobs, and what it does from time to time."""

from django.db import connections
from procrastinate.contrib.django import app

from fendo_server.booth import capture, cutting, elsewhere, outside  # noqa: F401


@app.periodic(cron="* * * * * */5")
@app.task(name="take_back_from_outside", queue="housekeeping", queueing_lock="take_back_from_outside")
def take_back_from_outside(timestamp: int) -> None:
    """Readings that another sound editor has saved again become takes."""
    try:
        outside.come_back()
    finally:
        connections.close_all()
