"""Makes the handlers of this room known to the worker, and what it does from time to time."""

from django.db import connections
from procrastinate.contrib.django import app

from fendo_server.picture import services


@app.periodic(cron="* * * * * */20")
@app.task(name="listen_to_rooms", queue="housekeeping", queueing_lock="listen_to_rooms")
def listen_to_rooms(timestamp: int) -> None:
    """Find the rooms of films that were brought in before anybody listened for them."""
    try:
        services.listen_to_missing()
    finally:
        connections.close_all()
