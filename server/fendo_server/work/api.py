"""Jobs over HTTP: how far they are, cancel, retry, and the file they made."""

from uuid import UUID

from django.conf import settings
from django.http import Http404, HttpResponseBase
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.decorators import api_view
from rest_framework.request import Request
from rest_framework.response import Response

from fendo_server.access import get_owned, owned
from fendo_server.media import send_file
from fendo_server.productions.models import Production
from fendo_server.work import running
from fendo_server.work.models import Job

NEWEST = 30


class JobSerializer(serializers.ModelSerializer):
    """A job. `result.file` names what can be downloaded once it is done, `about` the source that it prepares."""

    about = serializers.SerializerMethodField()

    def get_about(self, job: Job) -> str:
        return str(job.arguments.get("source", ""))

    class Meta:
        model = Job
        fields = ["id", "kind", "about", "state", "progress", "step", "error", "result", "cancel_wanted", "made", "ended"]
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


@extend_schema(operation_id="job_file", responses={(200, "application/octet-stream"): OpenApiTypes.BINARY})
@api_view(["GET"])
def job_file(request: Request, job_id: UUID) -> HttpResponseBase:
    """What a finished job made."""
    job = get_owned(Job, request.user, job_id)
    name = job.result.get("file")
    if job.state != Job.State.DONE or not name:
        raise Http404
    path = settings.MEDIA / job.production.directory / "Handover" / name
    kinds = {".mp4": "video/mp4", ".zip": "application/zip", ".wav": "audio/wav"}
    return send_file(request, path, kinds.get(path.suffix, "application/octet-stream"), download_as=name)
