"""Jobs on the real queue."""

from concurrent.futures import ThreadPoolExecutor
from time import sleep

import pytest
from django.db import transaction
from procrastinate.contrib.django import app
from procrastinate.contrib.django.models import ProcrastinateJob

from fendo_server.productions.services import make_production
from fendo_server.work import running
from fendo_server.work.models import Job


def work_off(concurrency: int = 1) -> None:
    """What waits in the queue is done; in a thread of its own, for a browser's loop may run in this one."""

    def work():
        with app.replace_connector(app.connector.get_worker_connector()) as worker:
            worker.run_worker(
                wait=False, install_signal_handlers=False, listen_notify=False, queues=["work"], concurrency=concurrency
            )

    with ThreadPoolExecutor(1) as pool:
        pool.submit(work).result()


@pytest.mark.django_db(transaction=True)
def test_a_job_goes_through_the_queue_on_postgresql(client, production, monkeypatch):
    seen = []
    monkeypatch.setitem(running._HANDLERS, "count", lambda progress: seen.append(progress.job.arguments) or {"file": "x"})
    job = running.start(production, "count", to=3)
    work_off()
    job.refresh_from_db()
    assert (job.state, job.progress, job.result) == ("done", 1.0, {"file": "x"})
    assert seen == [{"to": 3}]


def test_a_job_and_its_place_in_the_queue_are_there_together_or_not_at_all(production, monkeypatch):
    queued = ProcrastinateJob.objects.filter(task_name="run_job")
    job = running.start(production, "count")
    assert [each.args for each in queued] == [{"job_id": str(job.pk)}]

    @transaction.atomic
    def falls():
        running.start(production, "count")
        raise ZeroDivisionError

    with pytest.raises(ZeroDivisionError):
        falls()
    assert queued.count() == Job.objects.count() == 1

    def dies(_job):
        raise ConnectionError("the power went")

    monkeypatch.setattr(running, "_queue", dies)
    with pytest.raises(ConnectionError):
        running.start(production, "count")
    assert queued.count() == Job.objects.count() == 1


def test_a_job_that_falls_says_so_and_can_be_tried_again(client, production, monkeypatch):
    tries = []

    def fall_once(progress):
        tries.append(1)
        if len(tries) == 1:
            raise RuntimeError("the bits fell out")
        return {}

    monkeypatch.setitem(running._HANDLERS, "fall", fall_once)
    job = running.start(production, "fall")
    running.run(str(job.pk))
    job.refresh_from_db()
    assert job.state == "failed"
    assert "bits" not in job.error
    running.run(str(job.pk))
    assert len(tries) == 1, "a failed job is begun again only when somebody asks"
    client.post(f"/api/jobs/{job.pk}/retry/")
    running.run(str(job.pk))
    job.refresh_from_db()
    assert (job.state, job.error) == ("done", "")


def test_a_waiting_job_that_is_cancelled_never_begins(client, production, monkeypatch):
    monkeypatch.setitem(running._HANDLERS, "never", lambda progress: pytest.fail("it began"))
    job = running.start(production, "never")
    assert client.post(f"/api/jobs/{job.pk}/cancel/").json()["state"] == "cancelled"
    running.run(str(job.pk))


@pytest.mark.django_db(transaction=True)
def test_one_account_does_not_keep_the_worker_from_others(production, stranger, monkeypatch):
    """Of each lane an account has one job at a time, and who has asked for much gives way."""
    running_now, seen, most = [], [], []

    def slow(progress):
        running_now.append(progress.job)
        most.append([job.production.owner_id for job in running_now])
        sleep(0.15)
        running_now.remove(progress.job)
        seen.append(progress.job.arguments["name"])
        return {}

    for kind, lane in (("film", "long"), ("lines", "short")):
        monkeypatch.setitem(running._HANDLERS, kind, slow)
        monkeypatch.setitem(running._LANES, kind, lambda job, lane=lane: lane)
    theirs = make_production(stranger, "Theirs")
    for n in range(3):
        running.start(production, "film", name=f"film {n}")
    running.start(theirs, "film", name="their film")
    running.start(theirs, "lines", name="their lines")
    # A worker that does not wait goes when all that is left is locked.
    for _ in range(5):
        work_off(concurrency=4)
    assert Job.objects.filter(state="done").count() == 5
    # Long ones never had more than the two places that they have, and the others' work did not wait for the third film.
    assert max(len(one) for one in most) >= 2 and all(one.count(production.owner_id) <= 1 for one in most)
    assert seen.index("their lines") < seen.index("film 2") and seen.index("their film") < seen.index("film 2")


def test_a_job_over_which_the_worker_died_again_and_again_is_set_aside(production, monkeypatch):
    monkeypatch.setitem(running._HANDLERS, "kills", lambda progress: pytest.fail("it was begun again"))
    job = running.start(production, "kills")
    Job.objects.filter(pk=job.pk).update(state="running", attempts=running.MOST_ATTEMPTS)
    running.run(str(job.pk))
    job.refresh_from_db()
    assert job.state == "failed" and "set aside" in job.error
    running.retry(job)
    job.refresh_from_db()
    assert job.state == "waiting"
