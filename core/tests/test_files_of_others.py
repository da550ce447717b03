"""What files that others made taught the reader: subtitles as machines and people leave them, mails, screenplays."""

import io
import zipfile
from fractions import Fraction

import pytest

from fendo_core.script.intake import ScriptRefused, read_script
from fendo_core.timebase import SAMPLE_RATE, FrameRate
from sent_scripts import par, run

RATE = FrameRate(Fraction(25))
FERRY, NOBODY, SALT = "The ferry leaves.", "Nobody waits.", "Salt remains."


def read(name, data, **choices):
    return read_script(name, data if isinstance(data, bytes) else data.encode(), RATE, choices=choices, language="en-us")


def words(found):
    return [draft.text for draft in found.drafts]


def starts(found):
    return [draft.slot and draft.slot.start / SAMPLE_RATE for draft in found.drafts]


def asked(found):
    return {question.key: question.chosen for question in found.questions}


def numbered(said):
    """SubRip of these words, a second each."""
    return "".join(f"{n}\n00:00:{n:02},000 --> 00:00:{n:02},900\n{row}\n\n" for n, row in enumerate(said, start=1))


def test_captions_that_roll_up_are_read_once():
    cues = [
        (" \nthe<00:00:00.320><c> ferry</c><00:00:00.719><c> leaves</c>", 0, 2.4), ("the ferry leaves\n ", 2.4, 2.41),
        ("the ferry leaves\nnobody<00:00:02.7><c> waits</c>", 2.41, 4), ("nobody waits\n ", 4, 4.01),
        ("nobody waits\nsalt<00:00:04.5><c> remains</c>", 4.01, 6),
    ]  # fmt: skip
    text = "WEBVTT\nKind: captions\n\n" + "\n\n".join(
        f"00:00:{start:06.3f} --> 00:00:{end:06.3f} align:start\n{rows}" for rows, start, end in cues
    )
    found = read("a.vtt", text)
    assert words(found) == ["the ferry leaves", "nobody waits", "salt remains"]
    assert any("roll up" in doubt for doubt in found.doubts)
    # Who says the same again says it again.
    said = ["Go.", "Go.", FERRY, NOBODY, SALT]
    assert words(read("a.srt", numbered(said))) == said


def test_who_made_subtitles_is_no_line_and_comes_back_when_asked():
    said = ["Downloaded from www.subtitles.example", FERRY, NOBODY, "Subtitles by Otto Brand"]
    text = numbered(said)
    found = read("a.srt", text)
    assert words(found) == [FERRY, NOBODY] and asked(found)["credits"] == "out"
    assert words(read("a.srt", text, credits="in")) == said


def test_a_damaged_time_costs_no_other_cue_and_many_alike_doubts_are_said_once():
    text = "WEBVTT\n\n00:01.000 --> 00:02.000\nThe ferry leaves.\n\n00:03.000 --> 00:0x.9d0\nNobody waits.\n"
    found = read("a.vtt", text)
    assert list(zip(words(found), starts(found), strict=True)) == [(FERRY, 1.0), (NOBODY, None)]
    pairs = numbered(["- Who?\n- Otto."] * 20)
    (doubt,) = read("a.srt", pairs).doubts
    assert doubt == "cue 1 is said by two, told by dashes: one line; the same with 2, 3, 4, 5 and 15 more"


def test_a_doubt_without_a_number_is_counted_where_it_comes_again_and_again():
    long = "la " * 4_000
    doubts = read("a.srt", numbered([f"{long}{n}" for n in range(1, 9)])).doubts
    assert len(doubts) == len(set(doubts)) == 1 and doubts[0].endswith(" times)")


def test_dashes_tags_and_comments_of_machines_are_no_words():
    text = numbered(["-Stéphane? Où?", "<s>Là-bas,<br>au chêne.", "-5 degrés."])
    assert words(read("a.srt", text)) == ["Stéphane? Où?", "Là-bas, au chêne.", "-5 degrés."]
    head = "WEBVTT\n\nNOTE Converted by https://subtitles.example\n\nNOTE Read it slowly.\n\n"
    (draft,) = read("a.vtt", f"{head}00:01.000 --> 00:02.000\nThe ferry leaves.\n").drafts
    assert draft.notes == "Read it slowly."


@pytest.mark.parametrize("indent", ["", " "])
def test_times_of_substation_count_hundredths(indent):
    rows = [
        "[Script Info]", "Title: Salt", "[Events]", "Format: Layer, Start, End, Style, Name, Text",
        f"Dialogue: 0,0:00:01.96,0:00:03.10,D,,{FERRY}", f"Dialogue: 0,0:00:04.04,0:00:05.00,D,,{NOBODY}",
    ]  # fmt: skip
    found = read("a.ass", "\n".join(f"{indent}{row}" for row in rows))
    assert words(found) == [FERRY, NOBODY] and starts(found) == [1.96, 4.04] and not found.questions and not found.doubts


def test_sami_gives_the_cues_of_one_of_its_languages():
    cue = "<SYNC Start={0}><P Class=ENCC>{1}\n<SYNC Start={0}><P Class=DECC>{2}\n"
    silent = ("&nbsp;", "&nbsp;")
    told = [(1000, "The ferry<br>leaves.", "Die Fähre."), (3000, *silent), (4000, NOBODY, "Keiner."), (6000, *silent)]
    text = "<SAMI><HEAD><STYLE><!-- P {x} --></STYLE></HEAD><BODY>\n" + "".join(cue.format(*each) for each in told)
    found = read("a.smi", text)
    assert [(d.text, d.slot.start, d.slot.end) for d in found.drafts] == [
        (FERRY, SAMPLE_RATE, 3 * SAMPLE_RATE), (NOBODY, 4 * SAMPLE_RATE, 6 * SAMPLE_RATE),
    ]  # fmt: skip
    assert words(read("a.smi", text, **{"class": "DECC"})) == ["Die Fähre.", "Keiner."]


def test_seconds_of_timed_text_may_have_no_unit():
    cues = f'<p begin="1.5" end="2:03.5">{FERRY}</p>'
    (draft,) = read("a.ttml", f'<tt xmlns="http://www.w3.org/ns/ttml"><body><div>{cues}</div></body></tt>').drafts
    assert (draft.slot.start, draft.slot.end) == (1.52 * SAMPLE_RATE, 123.52 * SAMPLE_RATE)


HEAD = "From: Otto Brand <otto@quay.example>\nSent: Monday, 30 November 2026 09:12\nTo: Mira\nSubject: Script\n\n"
SCRIPT = "The ferry leaves in the morning, while the town is still asleep.\n\nNobody waits for it at the quay but gulls."


@pytest.mark.parametrize(
    "between",
    [
        f"---------- Forwarded message ---------\n{HEAD}",
        f"________________________________\n{HEAD}",
        HEAD,
        "-----Ursprüngliche Nachricht-----\n" + HEAD.replace("From", "Von").replace("Sent", "Gesendet"),
        "On 30 Nov 2026, at 09:12, Otto Brand <otto@quay.example>\nwrote:\n\n",
        "Le lun. 30 nov. 2026 à 09:12, Otto Brand a écrit :\n\n",
    ],
)
@pytest.mark.parametrize("mark", ["", "> "])
def test_of_mails_below_one_another_one_is_read_and_asked(between, mark):
    below = "\n".join(f"{mark}{row}" for row in SCRIPT.split("\n"))
    found = read("a.txt", f"Hi Mira,\n\nsee below.\n\n{between}{below}\n")
    assert words(found) == SCRIPT.split("\n\n") and asked(found)["thread"] == "below"
    above = read("a.txt", f"{SCRIPT}\n\nSent from my telephone\n\n{between}{mark}When do you need it?\n")
    assert words(above) == SCRIPT.split("\n\n") and asked(above)["thread"] == "own"


def test_a_mark_in_the_middle_of_a_mail_is_no_signature():
    rows = [f"Row {word} of the script stands here." for word in ("one", "two", "three", "four", "five", "six", "seven")]
    text = "\n\n".join([*rows[:2], "Sent from the harbour, it sank.", "--", *rows * 2])
    found = read("a.txt", f"See below.\n\n{HEAD}{text}\n\n-- \nOtto\n")
    assert {*rows, "Sent from the harbour, it sank."} <= set(words(found))


def test_what_only_looks_like_a_mail_is_read():
    for first in ("On 3 March 1911 the captain wrote:", "And on the 4th he said:"):
        assert words(read("a.txt", f"{first}\n\nThe ice closes in.\n\n{SALT}\n")) == [first, "The ice closes in.", SALT]
    assert len(read("a.txt", "A: Was he alone?\nA: No.\nA: Who was there?\n").drafts) == 3
    late = "Mime-Version: 1.0\nFrom: a@b.example\nContent-Type: text/plain; charset=gb2312\n\n"
    assert words(read("a.eml", f"{late}Es ist spät.\n\nKeiner wartet.\n")) == ["Es ist spät.", "Keiner wartet."]


FOUNTAIN = """Title:
    _**The Salt Road**_
Credit: written by
Author: Mira Sohl

INT. KITCHEN - NIGHT

Dough on wood. The clock reads 5:42.

It is warm.

@McBride
(softly)
The ferry leaves. [[too slow?]]

> CUT TO:

EXT. QUAY - DAY

    MIRA ^
  *Nobody* waits.

Gulls. /* Fog. */

= What happens next.

MIRA (V.O.)
Salt remains.

> THE END <
"""


def test_a_screenplay_with_marks_gives_who_speaks_and_what_is_seen_and_loses_nothing_else():
    found = read("a.fountain", FOUNTAIN)
    assert [(d.reader, d.text) for d in found.drafts] == [("MCBRIDE", FERRY), ("MIRA", NOBODY), ("MIRA", SALT)]
    notes = " ".join(draft.notes for draft in found.drafts)
    kept = ("KITCHEN", "Dough on wood", "5:42", "It is warm", "softly", "CUT TO", "QUAY", "Gulls")
    assert [said for said in kept if said not in notes] == []
    assert [said for said in ("slow", "Fog", "happens", "Credit", "^", "*") if said in notes] == []
    assert "times" not in asked(found)
    assert words(read("a.txt", FOUNTAIN)) == words(found)


def test_strict_documents_are_read_and_locked_ones_and_mails_of_the_old_kind_refused_by_name():
    named = 'xmlns:w="http://purl.oclc.org/ooxml/wordprocessingml/main"'
    body = f"<w:document {named}><w:body>{par(run(FERRY))}</w:body></w:document>"
    strict = io.BytesIO()
    with zipfile.ZipFile(strict, "w") as archive:
        archive.writestr("word/document.xml", body)
    assert words(read("a.docx", strict.getvalue())) == [FERRY]
    for inside, said in (("EncryptedPackage", "password"), ("__properties_version1.0", r"\.eml")):
        with pytest.raises(ScriptRefused, match=said):
            read("a.docx", b"\xd0\xcf\x11\xe0" + bytes(600) + inside.encode("utf-16-le"))


def test_names_above_a_column_of_times_are_no_line():
    found = read("a.csv", "Clip,When,Said\n1,0:12,The ferry leaves\n2,0:20,Nobody waits\n3,0:26,Salt remains\n")
    assert words(found) == ["The ferry leaves", "Nobody waits", "Salt remains"] and starts(found) == [12, 20, 26]


def test_two_languages_are_told_by_most_rows_and_not_by_addresses():
    rows = [FERRY, "Write to o@quay.example.com, a@sea.com.", NOBODY, "No? See www.quay.com/do/as/a/e/o.", SALT, "Do come."]
    assert words(read("a.txt", "\n\n".join(rows))) == rows


HEAD_OF_CUES = "[INFORMATION]\n[TITLE]\n[END INFORMATION]\n[SUBTITLE]\n[COLF]&HFFFFFF,[STYLE]no,[SIZE]18\n"
TIMES = ((FERRY, 12, 18), (NOBODY, 20, 24))


@pytest.mark.parametrize(
    ("name", "head", "cue"),
    [
        ("a.sub", HEAD_OF_CUES, "00:00:{1}.00,00:00:{2}.00\n{0}\n\n"),
        ("a.txt", "", "[{1}0][{2}0]{0}\n"),
        ("a.txt", "", "{{{1}00}}{{{2}00}}{0}\n"),
        ("a.txt", "\ufeff", "1\r\n00:00:{1},000 --> 00:00:{2},000\r\n{0}\r\n\r\n"),
        ("a.tsv", "start\tend\ttext\n", "{1}000\t{2}000\t{0}\n"),
    ],
)
def test_subtitles_that_count_in_their_own_way(name, head, cue):
    at = FrameRate(Fraction(100)) if "00}}" in cue else RATE
    text = head + "".join(cue.format(*each) for each in TIMES)
    found = read_script(name, text.encode(), at)
    assert [(d.text, d.slot.start // SAMPLE_RATE, d.slot.end // SAMPLE_RATE) for d in found.drafts] == list(TIMES)


def test_what_stands_beside_times_is_who_reads_or_a_note_and_never_a_line():
    rows = "{}  0:12\nThe ferry leaves.\n\n{}  0:20\nNobody waits.\n\nTranscribed by https://transcribe.example\n"
    for names in (("Otto Brand", "Mira Sohl"), ("The harbour", "The bell"), ("Intro", "Credits")):
        found = read("a.txt", rows.format(*names))
        assert [(d.text, d.notes or d.reader) for d in found.drafts] == [(FERRY, names[0]), (NOBODY, names[1])]
        assert starts(found) == [12, 20]
    assert words(read("a.txt", "00:00:12:The ferry|leaves.\n00:00:20:Nobody waits.\n")) == [FERRY, NOBODY]


@pytest.mark.parametrize(
    ("name", "data", "said"),
    [
        ("a.stl", b"850STL25.01" + b"0" * 1013 + bytes(128), "EBU STL"),
        ("a.scc", b"Scenarist_SCC V1.0\n\n00:00:12:00\t9420 9420\n", "codes"),
        ("a.gdoc", b'{"url": "https://docs.example/1"}', "link"),
        ("a.url", b"[InternetShortcut]\nURL=https://docs.example/1\n", "link"),
    ],
)
def test_captions_in_codes_and_links_are_refused_by_name(name, data, said):
    with pytest.raises(ScriptRefused, match=said):
        read(name, data)
