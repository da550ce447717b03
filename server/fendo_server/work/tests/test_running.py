"""A job runs once: an attempt that was taken for dead can neither write nor be heard any more."""

from datetime import timedelta

import pytest
from django.utils import timezone

from fendo_server.work import running
from fendo_server.work.models import Job


@pytest.fixture
def slow(production, monkeypatch):
    """A job of a kind that calls `meanwhile` in its middle, and tells which attempt has ended it."""
    made, calls = Job.objects.create(production=production, kind="slow"), []

    def handler(progress):
        calls.append(progress.job.attempts)
        for act in handler.meanwhile.pop(progress.job.attempts, []):
            act()
        progress(0.5, "half way")
        return {"attempt": progress.job.attempts}

    handler.meanwhile, handler.calls = {}, calls
    monkeypatch.setitem(running._HANDLERS, "slow", handler)
    return made, handler


def test_the_later_attempt_has_the_last_word(slow):
    job, handler = slow
    handler.meanwhile[1] = [lambda: running.run(str(job.pk))]
    running.run(str(job.pk))
    job.refresh_from_db()
    assert handler.calls == [1, 2]
    assert (job.state, job.result, job.attempts) == ("done", {"attempt": 2}, 2)


def test_a_superseded_attempt_does_not_overwrite_an_end_and_a_done_job_is_not_begun_again(slow):
    job, handler = slow
    handler.meanwhile[1] = [lambda: running.run(str(job.pk))]
    handler.meanwhile[2] = [lambda: running.cancel(Job.objects.get(pk=job.pk))]
    running.run(str(job.pk))
    job.refresh_from_db()
    assert (job.state, job.result) == ("cancelled", {})
    running.run(str(job.pk))
    assert handler.calls == [1, 2]


def test_of_two_workers_that_take_a_job_at_once_one_begins(slow, monkeypatch):
    job, handler = slow
    real = running._mine

    def both(row):
        monkeypatch.setattr(running, "_mine", real)
        running.run(str(job.pk))  # the other one was quicker
        return real(row)

    monkeypatch.setattr(running, "_mine", both)
    running.run(str(job.pk))
    job.refresh_from_db()
    assert handler.calls == [1] and job.result == {"attempt": 1}


@pytest.mark.parametrize(("seconds", "progress", "left"), [(30, 0.25, 90), (2, 0.5, None), (30, 0.01, None)])
def test_what_is_left_of_a_job_is_told_once_that_can_be_known(production, client, seconds, progress, left):
    begun = timezone.now() - timedelta(seconds=seconds)
    Job.objects.create(production=production, kind="slow", state="running", progress=progress, begun=begun)
    (job,) = client.get(f"/api/productions/{production.id}/jobs/").json()
    assert job["left"] == (left and pytest.approx(left, abs=3))
