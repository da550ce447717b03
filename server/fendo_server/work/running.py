"""How jobs run: one handler a kind, progress that is stored, cancel that is asked for, results published at the end."""

import logging
import time
from collections.abc import Callable
from typing import Any, Literal

from django.db import transaction
from django.db.models import F
from django.utils import timezone

from fendo_core.picture.codec import Cancelled
from fendo_server.work.models import Job

log = logging.getLogger("fendo")

Handler = Callable[["Progress"], dict[str, Any]]
_HANDLERS: dict[str, Handler] = {}

Lane = Literal["long", "short", "quick"]
"""Of each lane an account has one job at a time. `long`: minutes and more, of which two run on the machine at once, whoever
asked for them; `quick`: what somebody waits for who has just read a line."""
_LANES: dict[str, Callable[[Job], Lane]] = {}
MOST_ATTEMPTS = 3
"""A job whose worker died over it so often is set aside: it may be the job that kills it, and others wait."""
_LONG_AT_ONCE = 2
_LEAST_PRIORITY = -50


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


def handles(kind: str, lane: Lane | Callable[[Job], Lane] = "short") -> Callable[[Handler], Handler]:
    """Mark the function that does jobs of this kind. It may be run again after a kill, so it must start over cleanly.

    Args:
        lane: where they wait, or what tells it of a job.
    """

    def keep(handler: Handler) -> Handler:
        _HANDLERS[kind] = handler
        _LANES[kind] = lane if callable(lane) else lambda job: lane
        return handler

    return keep


def start(production: Any, kind: str, **arguments: Any) -> Job:
    """A new job, and its place in the queue: both are there, or neither is, whatever dies in between."""
    with transaction.atomic():
        job = Job.objects.create(production=production, kind=kind, arguments=arguments)
        _queue(job)
    return job


def _queue(job: Job) -> None:
    from fendo_server.work.tasks import run_job

    owner = job.production.owner_id
    lane = _LANES[job.kind](job) if job.kind in _LANES else "short"
    # A lock is held by one job at a time. Of long ones there are as many as may run at once, shared out over the accounts.
    lock = f"long:{owner % _LONG_AT_ONCE}" if lane == "long" else f"{lane}:{owner}"
    # Who has asked for much already gives way to who has not.
    open_states = (Job.State.WAITING, Job.State.RUNNING)
    others = Job.objects.filter(production__owner_id=owner, state__in=open_states).exclude(pk=job.pk).count()
    run_job.configure(lock=lock, priority=max(_LEAST_PRIORITY, -others)).defer(job_id=str(job.pk))


def cancel(job: Job) -> None:
    """Ask a job to stop; one that has not begun ends at once."""
    Job.objects.filter(pk=job.pk, state=Job.State.RUNNING).update(cancel_wanted=True)
    waiting = Job.objects.filter(pk=job.pk, state=Job.State.WAITING)
    waiting.update(state=Job.State.CANCELLED, cancel_wanted=True, ended=timezone.now())


def retry(job: Job) -> None:
    """Begin a failed or cancelled job again."""
    ended = Job.objects.filter(pk=job.pk, state__in=(Job.State.FAILED, Job.State.CANCELLED))
    with transaction.atomic():
        again = {
            "state": Job.State.WAITING,
            "cancel_wanted": False,
            "progress": 0.0,
            "step": "",
            "error": "",
            "ended": None,
        }
        if ended.update(**again):
            _queue(job)


def run(job_id: str) -> None:
    """Do a job to its end, whatever that is."""
    job = Job.objects.select_related("production").filter(pk=job_id).first()
    if job is None or job.state not in (Job.State.WAITING, Job.State.RUNNING):
        return
    if job.state == Job.State.RUNNING and job.attempts >= MOST_ATTEMPTS:
        said = f"The worker ended {job.attempts} times over this job, so it was set aside. Nothing was lost: try it again."
        _mine(job).update(state=Job.State.FAILED, error=said, ended=timezone.now())
        return
    # Of two workers that take it at the same moment one begins: each counts on from what it has read.
    begun = _mine(job).update(state=Job.State.RUNNING, progress=0.0, attempts=F("attempts") + 1, begun=timezone.now())
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
