"""How jobs run: one handler a kind, progress that is stored, cancel that is asked for, results published at the end."""

import logging
import time
from collections.abc import Callable
from typing import Any

from django.db import transaction
from django.db.models import F
from django.utils import timezone

from fendo_core.picture.codec import Cancelled
from fendo_server.work.models import Job

log = logging.getLogger("fendo")

Handler = Callable[["Progress"], dict[str, Any]]
_HANDLERS: dict[str, Handler] = {}


class JobFailed(RuntimeError):
    """A job that can't be done; the message is for the person who asked for it."""


class Superseded(Cancelled):
    """Another attempt at the job has begun: this one was taken for dead, and has nothing to say any more."""


def _mine(job: Job) -> Any:
    """The job's row as long as no later attempt has begun."""
    return Job.objects.filter(pk=job.pk, attempts=job.attempts)


class Progress:
    """What a handler gets: the job, and a way to say how far it is. Saying so raises `Cancelled` when that is wanted."""

    def __init__(self, job: Job) -> None:
        self.job = job
        self._last = 0.0

    def __call__(self, share: float, step: str | None = None) -> None:
        """Store progress 0..1 (several times a second at most), and the step's name."""
        now = time.monotonic()
        if step is None and now - self._last < 0.25:
            return
        self._last = now
        fields: dict[str, Any] = {"progress": min(1.0, max(0.0, share))}
        if step is not None:
            fields["step"] = step
        if not _mine(self.job).update(**fields):
            raise Superseded
        if Job.objects.filter(pk=self.job.pk, cancel_wanted=True).exists():
            raise Cancelled

    def still_wanted(self) -> None:
        """Before something is stored: `Superseded` when a later attempt has begun, whose folder and rows these are now."""
        if not _mine(self.job).exists():
            raise Superseded

    def part(self, first: float, last: float, step: str) -> Callable[[float], None]:
        """Progress of a step that takes the job from `first` to `last`."""
        self(first, step)
        return lambda share: self(first + (last - first) * share)


def handles(kind: str) -> Callable[[Handler], Handler]:
    """Mark the function that does jobs of this kind. It may be run again after a kill, so it must start over cleanly."""

    def keep(handler: Handler) -> Handler:
        _HANDLERS[kind] = handler
        return handler

    return keep


def start(production, kind: str, **arguments: Any) -> Job:
    """A new job, and its place in the queue: both are there, or neither is, whatever dies in between."""
    with transaction.atomic():
        job = Job.objects.create(production=production, kind=kind, arguments=arguments)
        _queue(job)
    return job


def _queue(job: Job) -> None:
    from fendo_server.work.tasks import run_job

    run_job.defer(job_id=str(job.pk))


def cancel(job: Job) -> None:
    """Ask a job to stop; one that has not begun ends at once."""
    Job.objects.filter(pk=job.pk, state=Job.State.RUNNING).update(cancel_wanted=True)
    waiting = Job.objects.filter(pk=job.pk, state=Job.State.WAITING)
    waiting.update(state=Job.State.CANCELLED, cancel_wanted=True, ended=timezone.now())


def retry(job: Job) -> None:
    """Begin a failed or cancelled job again."""
    ended = Job.objects.filter(pk=job.pk, state__in=(Job.State.FAILED, Job.State.CANCELLED))
    with transaction.atomic():
        if ended.update(state=Job.State.WAITING, cancel_wanted=False, progress=0.0, step="", error="", ended=None):
            _queue(job)


def run(job_id: str) -> None:
    """Do a job to its end, whatever that is."""
    job = Job.objects.select_related("production").filter(pk=job_id).first()
    if job is None or job.state not in (Job.State.WAITING, Job.State.RUNNING):
        return
    # Of two workers that take it at the same moment one begins: each counts on from what it has read.
    begun = _mine(job).update(state=Job.State.RUNNING, progress=0.0, attempts=F("attempts") + 1)
    if not begun:
        return
    job.attempts += 1
    end: dict[str, Any] = {"ended": timezone.now()}
    try:
        result = _HANDLERS[job.kind](Progress(job))
        end |= {"state": Job.State.DONE, "progress": 1.0, "step": "", "result": result}
    except Superseded:
        log.warning("an attempt at job %s was superseded", job.kind)
        return
    except Cancelled:
        end |= {"state": Job.State.CANCELLED, "step": ""}
    except JobFailed as error:
        end |= {"state": Job.State.FAILED, "error": str(error)}
    except OSError as error:
        log.exception("job %s", job.kind)
        end |= {
            "state": Job.State.FAILED,
            "error": f"The disk said: {error.strerror}. Make room or mend it, then try again.",
        }
    except Exception:
        log.exception("job %s", job.kind)
        said = "Something went wrong that Fendo did not foresee; the server's log says more. Nothing was lost: try again."
        end |= {"state": Job.State.FAILED, "error": said}
    end["ended"] = timezone.now()
    _mine(job).update(**end)
