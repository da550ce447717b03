"""Handing over, over HTTP: begin a job."""

from uuid import UUID

from django.db import transaction
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.decorators import api_view
from rest_framework.request import Request
from rest_framework.response import Response

from fendo_server.access import get_owned
from fendo_server.problems import ProblemSerializer
from fendo_server.productions.models import Production
from fendo_server.work import running
from fendo_server.work.api import JobSerializer

KINDS = ["film with the voice", "voice files", "whole voice"]


class HandoverSerializer(serializers.Serializer):
    """What is wanted."""

    kind = serializers.ChoiceField(KINDS)


@extend_schema(operation_id="hand_over", request=HandoverSerializer, responses={201: JobSerializer, 422: ProblemSerializer})
@api_view(["POST"])
@transaction.atomic
def hand_over(request: Request, production_id: UUID) -> Response:
    """Begin to write what is wanted."""
    production = get_owned(Production, request.user, production_id)
    asked = HandoverSerializer(data=request.data)
    asked.is_valid(raise_exception=True)
    job = running.start(production, asked.validated_data["kind"])
    return Response(JobSerializer(job).data, status=201)
