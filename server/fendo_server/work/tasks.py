"""The queue's side of a job: run it, and bring back what a killed worker left."""

import logging

from django.db import connections
from procrastinate import JobContext
from procrastinate.contrib.django import app

from fendo_server.work import running

log = logging.getLogger("fendo")


@app.task(name="run_job", queue="work", pass_context=False)
def run_job(job_id: str) -> None:
    """Do one job. Its thread's database connection goes with it."""
    try:
        running.run(job_id)
    finally:
        connections.close_all()


@app.periodic(cron="* * * * * */5")
@app.task(name="requeue_stalled", queue="housekeeping", queueing_lock="requeue_stalled", pass_context=True)
async def requeue_stalled(context: JobContext, timestamp: int) -> None:
    """Jobs whose worker stopped its heartbeat go back to the queue: a killed worker leaves them `doing` for ever.

    Not this worker's own: when the machine stood still, so did its heartbeat, and its jobs go on.
    """
    stalled = await app.job_manager.get_stalled_jobs()
    for job in (job for job in stalled if job.worker_id != context.job.worker_id):
        log.warning("job %s of a worker that is gone: queued again", job.id)
        await app.job_manager.retry_job(job)


@app.periodic(cron="* * * * *")
@app.task(name="close_forgotten_takes", queue="housekeeping", queueing_lock="close_forgotten_takes")
def close_forgotten_takes(timestamp: int) -> None:
    """Takes whose browser never came back become takes all the same; files that stopped coming are thrown away."""
    from fendo_server.booth.capture import close_forgotten
    from fendo_server.picture.arriving import forget_old

    close_forgotten()
    forget_old()


@app.periodic(cron="* * * * * */10")
@app.task(name="write_records", queue="housekeeping", queueing_lock="write_records")
def write_records(timestamp: int) -> None:
    """The productions' own records, where something was changed."""
    from fendo_server.productions.record import write_changed

    write_changed()
