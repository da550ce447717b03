"""Jobs over HTTP: how far they are, cancel, retry, and the file they made."""

from uuid import UUID

from django.utils import timezone
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.decorators import api_view
from rest_framework.request import Request
from rest_framework.response import Response

from fendo_server.access import get_owned, owned
from fendo_server.productions.models import Production
from fendo_server.work import running
from fendo_server.work.models import Job

NEWEST = 30


class JobSerializer(serializers.ModelSerializer):
    """A job. `about` is the source or the take that it works on, or the name of the handover that it writes."""

    about = serializers.SerializerMethodField()
    left = serializers.SerializerMethodField()

    def get_left(self, job: Job) -> int | None:
        """Seconds that it will about take still; null where that can't be told yet."""
        if job.state != Job.State.RUNNING or job.begun is None or job.progress < 0.05:
            return None
        taken = (timezone.now() - job.begun).total_seconds()
        return round(taken * (1 - job.progress) / job.progress) if taken > 3 else None

    def get_about(self, job: Job) -> str:
        given = job.arguments
        return str(given.get("source") or given.get("take") or given.get("order", {}).get("name", ""))

    class Meta:
        model = Job
        fields = [
            "id",
            "kind",
            "about",
            "state",
            "progress",
            "left",
            "step",
            "error",
            "result",
            "cancel_wanted",
            "made",
            "ended",
        ]
        read_only_fields = fields


@extend_schema(operation_id="jobs", responses=JobSerializer(many=True))
@api_view(["GET"])
def jobs(request: Request, production_id: UUID) -> Response:
    """The newest jobs of a production."""
    production = get_owned(Production, request.user, production_id)
    return Response(JobSerializer(owned(Job, request.user).filter(production=production)[:NEWEST], many=True).data)


@extend_schema(operation_id="cancel_job", request=None, responses=JobSerializer)
@api_view(["POST"])
def cancel(request: Request, job_id: UUID) -> Response:
    """Ask a job to stop."""
    job = get_owned(Job, request.user, job_id)
    running.cancel(job)
    job.refresh_from_db()
    return Response(JobSerializer(job).data)


@extend_schema(operation_id="retry_job", request=None, responses=JobSerializer)
@api_view(["POST"])
def retry(request: Request, job_id: UUID) -> Response:
    """Begin a failed or cancelled job again."""
    job = get_owned(Job, request.user, job_id)
    running.retry(job)
    job.refresh_from_db()
    return Response(JobSerializer(job).data)
