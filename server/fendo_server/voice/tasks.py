"""Makes the handlers known to the worker, and keeps house."""

from procrastinate.contrib.django import app

from fendo_server.voice import sounding


@app.periodic(cron="17 * * * *")
@app.task(name="forget_old_voices", queue="housekeeping", queueing_lock="forget_old_voices")
def forget_old_voices(timestamp: int) -> None:
    """Made voices that nobody asked for in days."""
    sounding.forget_old()
