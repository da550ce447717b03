"""Every address, in one place."""

from django.http import HttpRequest, JsonResponse
from django.urls import include, path, re_path

from fendo_server.accounts import views as accounts
from fendo_server.booth import api as booth
from fendo_server.booth import elsewhere, filing, outside, room, screen
from fendo_server.handover import api as handover
from fendo_server.handover import opening
from fendo_server.picture import api as picture
from fendo_server.polish import api as polish
from fendo_server.polish import length_api, loudness, treating_api, whole_length
from fendo_server.productions import api as productions
from fendo_server.productions import history
from fendo_server.script import api as script
from fendo_server.takes import api as takes
from fendo_server.takes import comparison, finding
from fendo_server.takes import making_api as making
from fendo_server.work import api as work

api = [
    path("session/", accounts.session),
    path("productions/", productions.Productions.as_view()),
    path("productions/<uuid:production_id>/", productions.OneProduction.as_view()),
    path("productions/<uuid:production_id>/edits/", productions.edit),
    path("productions/<uuid:production_id>/undo/", productions.undo),
    path("productions/<uuid:production_id>/redo/", productions.redo),
    path("productions/<uuid:production_id>/now/", productions.now),
    path("productions/<uuid:production_id>/history/", history.history),
    path("productions/<uuid:production_id>/folders/", productions.folders),
    path("productions/<uuid:production_id>/readers/", productions.readers),
    path("productions/<uuid:production_id>/name-example/", productions.name_example),
    path("productions/<uuid:production_id>/typed-position/", productions.typed),
    path("productions/<uuid:production_id>/script-file/", script.read_script),
    path("productions/<uuid:production_id>/script-lines/", script.bring_in_script),
    path("productions/<uuid:production_id>/script-split/", script.split_long),
    path("productions/<uuid:production_id>/script-search/", script.search),
    path("productions/<uuid:production_id>/script/<str:form>/", script.script_file),
    path("productions/<uuid:production_id>/arrivals/", picture.arrivals),
    path("productions/<uuid:production_id>/timeline/", picture.timeline),
    path("productions/<uuid:production_id>/reel-preview/", productions.preview),
    path("productions/<uuid:production_id>/jobs/", work.jobs),
    path("productions/<uuid:production_id>/handover/", handover.HandoverRoom.as_view()),
    path("productions/<uuid:production_id>/handover/plan/", handover.plan_handover),
    path("productions/<uuid:production_id>/handover/timeline/", handover.come_back),
    path("handovers/<uuid:handover_id>/zip/", handover.handover_zip),
    path("handovers/<uuid:handover_id>/files/<int:number>/", handover.handover_file),
    path("handover-presets/", handover.presets),
    path("handover-presets/<uuid:preset_id>/", handover.one_preset),
    path("productions/<uuid:production_id>/room-check/", room.room_check),
    path("productions/<uuid:production_id>/screen/", screen.screen),
    path("productions/<uuid:production_id>/polish/", polish.room),
    path("productions/<uuid:production_id>/polish/scan/", polish.scan),
    path("productions/<uuid:production_id>/loudness/", loudness.loudness),
    path("recordings/<uuid:recording_id>/stretch/", polish.stretch),
    path("lines/<uuid:line_id>/marked-place/", polish.mark),
    path("lines/<uuid:line_id>/seam/", polish.seam),
    path("treatments/", treating_api.keep),
    path("treatments/file/", treating_api.bring_in),
    path("treatments/<uuid:treatment_id>/", treating_api.one),
    path("lines/<uuid:line_id>/treatment/drawing/", treating_api.drawn),
    path("lines/<uuid:line_id>/treatment/compared/", treating_api.compared),
    path("lines/<uuid:line_id>/treatment/suggestion/", treating_api.suggestion),
    path("lines/<uuid:line_id>/treatment/taken-away/<str:kind>/", treating_api.away),
    path("arrivals/<uuid:arrival_id>/", picture.OneArrival.as_view()),
    path("arrivals/<uuid:arrival_id>/finish/", picture.finish),
    path("archives/", opening.announce),
    path("arrivals/<uuid:arrival_id>/archive/", opening.open_archive),
    path("arrivals/<uuid:arrival_id>/reading/", elsewhere.bring_in),
    path("sources/<uuid:source_id>/picture/", picture.picture),
    path("sources/<uuid:source_id>/picture/<int:number>/", picture.segment),
    path("sources/<uuid:source_id>/page/<int:number>/", picture.page),
    path("sources/<uuid:source_id>/sound/<int:piece>/", picture.sound),
    path("sources/<uuid:source_id>/strip/", picture.strip),
    path("sources/<uuid:source_id>/notes/", picture.notes),
    path("lines/<uuid:line_id>/takes/", booth.LineTakes.as_view()),
    path("lines/<uuid:line_id>/simulated-reading/", booth.simulated_reading),
    path("takes/<uuid:take_id>/sound/", booth.sound),
    path("takes/<uuid:take_id>/finish/", booth.finish),
    path("takes/<uuid:take_id>/abandon/", booth.abandon),
    path("takes/<uuid:take_id>/so-far/", booth.so_far),
    path("takes/<uuid:take_id>/followed/", booth.follow),
    path("takes/<uuid:take_id>/behind/", booth.behind_original),
    path("takes/<uuid:take_id>/after/", booth.after),
    path("takes/<uuid:take_id>/cut/", booth.cut),
    path("round-trip/", booth.round_trip),
    path("round-trip/sound/", booth.loop_sound),
    path("productions/<uuid:production_id>/takes/compared/", comparison.compared),
    path("productions/<uuid:production_id>/takes/found/", finding.find),
    path("productions/<uuid:production_id>/takes/found.zip", finding.found_zip),
    path("takes/<uuid:take_id>/file/", filing.file_take),
    path("folders/<uuid:folder_id>/", filing.rename_folder),
    path("takes/<uuid:take_id>/clock/", takes.clock),
    path("takes/<uuid:take_id>/recording/", takes.recording),
    path("lines/<uuid:line_id>/join/", booth.join),
    path("lines/<uuid:line_id>/weave/", making.weave),
    path("lines/<uuid:line_id>/outside/<uuid:voice_id>/", outside.send),
    path("lines/<uuid:line_id>/fit/", making.fit),
    path("lines/<uuid:line_id>/length/", length_api.length),
    path("productions/<uuid:production_id>/lengths/", whole_length.lengths),
    path("voices/<uuid:voice_id>/<str:key>/sound/", takes.voice_sound),
    path("voices/<uuid:voice_id>/<str:key>/wave/", takes.voice_wave),
    path("voices/<uuid:voice_id>/around/", takes.voice_around),
    path("voices/<uuid:voice_id>/seams/", takes.voice_seams),
    path("jobs/<uuid:job_id>/", opening.one_job),
    path("jobs/<uuid:job_id>/cancel/", work.cancel),
    path("jobs/<uuid:job_id>/retry/", work.retry),
]


def nothing_here(request: HttpRequest, rest: str) -> JsonResponse:
    """Addresses below /api/ that do not exist, in the one form of errors."""
    body = {"title": "Not here", "status": 404, "detail": "There is nothing at this address."}
    return JsonResponse(body, status=404, content_type="application/problem+json")


urlpatterns = [
    path("api/", include(api)),
    re_path(r"^api/(?P<rest>.*)$", nothing_here),
    path("alive", lambda request: JsonResponse({"alive": True})),
    path("enter/<str:token>", accounts.enter),
    path("sign-in", accounts.SignIn.as_view()),
    path("sign-out", accounts.sign_out),
    re_path(r"^(?!static/).*$", accounts.application),
]
