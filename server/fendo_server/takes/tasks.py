"""The queue's side of the read check."""

from django.db import connections
from procrastinate.contrib.django import app

from fendo_server.takes import comparison, listening


@app.task(name="check_words", queue="work")
def check_words(take_id: str) -> None:
    """Listen to one take."""
    try:
        listening.check_one(take_id)
    finally:
        connections.close_all()


@app.periodic(cron="* * * * * */20")
@app.task(name="check_missing_words", queue="housekeeping", queueing_lock="check_missing_words")
def check_missing_words(timestamp: int) -> None:
    """Listen to takes that nobody listened to yet."""
    try:
        listening.check_missing()
        comparison.fill_missing()
    finally:
        connections.close_all()
