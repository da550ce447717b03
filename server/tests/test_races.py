"""Requests that meet are done, or refused in words; no file is without its row and no row without its file."""

import json
import random
from collections import Counter
from concurrent.futures import ThreadPoolExecutor
from uuid import uuid4

import pytest
from django.conf import settings
from django.db import connections
from django.test import Client

from fendo_core.audio import pcm
from fendo_core.timebase import SAMPLE_RATE
from fendo_server.handover.models import Preset
from fendo_server.polish.models import KeptTreatment
from fendo_server.productions import state
from fendo_server.productions.models import Production
from fendo_server.takes.models import Take
from fendo_server.voice.models import Recording
from testing import clock_of, digest, order, voice

pytestmark = pytest.mark.django_db(transaction=True)
THREADS = 8


def at_once(ada, jobs):
    """Runs `jobs`, each given a browser of its own, and gives back (status, title) of every answer."""
    said = []

    def work(job):
        browser = Client(raise_request_exception=False)
        browser.force_login(ada, backend="django.contrib.auth.backends.ModelBackend")

        def ask(method, address, body=None, kind="application/json"):
            sent = body if isinstance(body, bytes) else json.dumps(body if body is not None else {})
            answer = browser.generic(method, f"/api/{address}", sent, content_type=kind)
            told = answer.json().get("title", "") if answer.status_code >= 400 else ""
            said.append((answer.status_code, told, method, address.split("/")[-2]))
            return answer

        try:
            return job(ask)
        finally:
            connections.close_all()

    with ThreadPoolExecutor(THREADS) as pool:
        list(pool.map(work, jobs))
    bad = Counter(one for one in said if one[0] >= 500)
    assert not bad, bad
    return said


def test_the_same_thing_made_by_several_at_the_same_moment_is_made_once_or_under_another_name(ada, production):
    film = b"RIFF" + bytes(500)

    def make(ask):
        for n in range(3):
            ask("POST", "productions/", {"name": f"Weir {n}"})
            ask("POST", f"productions/{production.id}/readers/", {"name": f"Reader {n}"})
            ask("POST", f"productions/{production.id}/folders/", {"name": f"Folder {n}", "land_here": n == 1})
            ask("POST", "handover-presets/", order(name=f"Preset {n}"))
            ask("POST", "treatments/", {"name": f"Treatment {n}", "stages": []})
            told = {"name": "weir.wav", "size": len(film), "digest": digest(film)}
            ask("POST", f"productions/{production.id}/arrivals/", told)

    said = at_once(ada, [make] * THREADS)
    assert {title for status, title, *_ in said if status >= 400} <= {"Not possible", "At the same moment", "Refused"}
    made = Production.objects.filter(name__startswith="Weir")
    assert len(made) == 3 * THREADS == len({one.directory.lower() for one in made})
    assert all((settings.MEDIA / one.directory).is_dir() for one in made)
    names = list(production.readers.filter(name__startswith="Reader").values_list("name", flat=True))
    assert sorted(names) == [f"Reader {n}" for n in range(3)]
    assert production.folders.filter(path__startswith="Folder").count() == 3
    for model in (Preset, KeptTreatment):
        kept = [name.lower() for name in model.objects.values_list("name", flat=True)]
        assert len(kept) == len(set(kept))


def test_edits_undo_redo_and_settings_that_meet_leave_a_production_that_opens(ada, production):
    lines = [str(pk) for pk in production.lines.values_list("pk", flat=True)]

    def work(seed):
        def do(ask):
            dice, revision = random.Random(seed), production.revision
            for n in range(25):
                kind = dice.choice(("words", "slot", "new", "drop", "undo", "redo", "settings", "pace"))
                line = dice.choice(lines)
                at = dice.randrange(60) * SAMPLE_RATE
                edits = {
                    "words": {"kind": "set_words", "line": line, "text": f"Words {seed} {n}."},
                    "slot": {"kind": "set_slot", "line": line, "slot": [at, at + SAMPLE_RATE]},
                    "new": {"kind": "new_line", "after": line},
                    "drop": {"kind": "drop_line", "line": line},
                }
                address = f"productions/{production.id}/"
                if kind in edits:
                    answer = ask("POST", f"{address}edits/", {**edits[kind], "revision": revision})
                elif kind in ("undo", "redo"):
                    answer = ask("POST", f"{address}{kind}/")
                else:
                    answer = ask(
                        "PATCH", address, {"headphones": n % 2 == 0} if kind == "settings" else {"pace": 4 + n / 20}
                    )
                revision = answer.json().get("revision", revision)

        return do

    said = at_once(ada, [work(seed) for seed in range(THREADS)])
    done = sum(1 for status, _, method, what in said if status == 200 and method == "POST")
    production.refresh_from_db()
    present = state.load(production)
    assert done > 30 and production.revision >= 10
    revisions = list(production.changes.values_list("revision", flat=True))
    assert len(revisions) == len(set(revisions)) and max(revisions) == production.revision
    assert {line.id for line in present.lines} >= set(lines)


def test_a_take_that_is_sent_ended_called_off_and_ended_again_at_once_is_whole_or_gone(ada, production):
    line = production.lines.first()
    whole = pcm.from_integers(voice(2.4))
    length, piece = len(whole) // 3, 4_800 * 3

    def work(seed):
        """Everybody does everything to the same few takes."""

        def do(ask):
            dice = random.Random(seed)
            for _ in range(4):
                mine = ask("POST", f"lines/{line.id}/takes/", {"input": "mic"}).json()["id"]
                begun.append(mine)
                for at in range(0, len(whole), piece):
                    take = dice.choice(begun[-3:]) if dice.random() < 0.3 else mine
                    what = dice.random()
                    if what < 0.9:
                        sent = whole[at : at + piece]
                        ask("PUT", f"takes/{take}/sound/?offset={at // 3}", sent, "application/octet-stream")
                    elif what < 0.95:
                        ask("POST", f"takes/{take}/abandon/")
                    else:
                        ask("POST", f"takes/{take}/finish/", {"total": 4_800, "clock": clock_of(0)})
                for _ in range(2):
                    ask("POST", f"takes/{dice.choice((mine, begun[-1]))}/finish/", {"total": length, "clock": clock_of(0)})

        return do

    begun: list[str] = []
    at_once(ada, [work(seed) for seed in range(THREADS)])
    folder = settings.MEDIA / production.directory
    on_disk = {path for path in folder.rglob("*") if path.suffix == ".wav" or path.name.endswith(".part")}
    rows = list(Recording.objects.filter(production=production))
    assert {one.path if one.state == Recording.State.FINISHED else one.part for one in rows} == on_disk
    finished = [one for one in rows if one.state == Recording.State.FINISHED]
    assert finished and Take.objects.filter(line=line).count() == len(rows)
    for one in finished:
        data = one.path.read_bytes()
        sound = data[len(data) - len(data) % 2 :]
        assert not sound
        start = data.index(b"data") + 8
        assert data[start : start + one.length * 3] == whole[: one.length * 3], "what was acknowledged, and nothing else"
        assert len(data) - start - one.length * 3 in (0, 1)


def test_what_is_gone_is_said_to_be_gone(client, production):
    missing = uuid4()
    assert client.post(f"/api/takes/{missing}/finish/", {}, content_type="application/json").status_code == 404
