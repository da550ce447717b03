"""Jobs on the real queue."""

import pytest
from django.db import transaction
from procrastinate.contrib.django import app
from procrastinate.contrib.django.models import ProcrastinateJob

from fendo_server.work import running
from fendo_server.work.models import Job


@pytest.mark.django_db(transaction=True)
def test_a_job_goes_through_the_queue_on_postgresql(client, production, monkeypatch):
    seen = []
    monkeypatch.setitem(running._HANDLERS, "count", lambda progress: seen.append(progress.job.arguments) or {"file": "x"})
    job = running.start(production, "count", to=3)
    with app.replace_connector(app.connector.get_worker_connector()) as worker:
        worker.run_worker(wait=False, install_signal_handlers=False, listen_notify=False, queues=["work"])
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
