"""Scripts from files: every kind, in every encoding, whole and broken; and what goes out comes back in."""

import io
import unicodedata
import zipfile
from fractions import Fraction
from xml.sax.saxutils import escape

import pytest
from hypothesis import assume, given, settings
from hypothesis import strategies as st

import sent_scripts as sent
from bench import scripts
from fendo_core.production.refusal import EditRefused
from fendo_core.script import apart
from fendo_core.script.intake import LARGEST_DOCUMENT, Columns, ScriptRefused, read_script
from fendo_core.script.intake.inquiry import Inquiry
from fendo_core.script.intake.letters import decode
from fendo_core.script.lines import Draft, Line, add_drafts, paragraphs
from fendo_core.script.words_out import FORMS, words_out
from fendo_core.timebase import FRAME_RATES, SAMPLE_RATE, FrameRate, Span

RATE = FrameRate(Fraction(25))
TEN = 10 * 3600 * 25
S = SAMPLE_RATE
PROSE = "Über dem Müller­haus – “so sagte er” – zog die Flut, à l’heure, por mañana.\nÉté, élan, naïve. Größe!"


def read(name, text, **more):
    data = text if isinstance(text, bytes) else text.encode()
    return read_script(name, data, RATE, TEN, **more)


def texts(found):
    return [draft.text for draft in found.drafts]


def slots(found):
    return [(d.slot.start / S, d.slot.end / S) if d.slot else None for d in found.drafts]


@pytest.mark.parametrize("encoding", ["utf-8", "utf-8-sig", "utf-16", "utf-16-le", "utf-16-be", "cp1252", "mac_roman"])
@pytest.mark.parametrize("ends", ["\n", "\r\n", "\r"])
def test_the_same_words_come_from_every_encoding(encoding, ends):
    prose = (
        PROSE.replace("\u00ad", "") + "\n" + "The quay was empty at dawn, and nobody spoke a word about it. " * 4
    ).replace("\n", ends)
    found = read("script.txt", prose.encode(encoding))
    assert texts(found) == paragraphs(prose)
    assert any("do not" in d or "does not say" in d for d in found.doubts) == (encoding in ("cp1252", "mac_roman"))


@given(st.binary(max_size=400))
def test_no_bytes_break_the_reader(data):
    for name in ("a.txt", "a.srt", "a.vtt", "a.csv", "a.md", "a.docx"):
        try:
            found = read(name, data)
        except ScriptRefused as refused:
            assert len(str(refused)) > 10
        else:
            assert found.drafts and all(draft.text for draft in found.drafts)


SRT = """1
00:00:01,000 --> 00:00:03,000
Nobody at Orsey
needs a <i>clock</i>.

2
0:00:05,25 --> 0:00:07,5
The sea &amp; the mill.

3
00:00:09,000 --> 00:00:08,000
Backwards.

4
00:00:06,000 --> 00:00:12,000

5
00:00:04,000 --> 00:00:06,000
Crossing.
1984
"""


def test_subtitles_become_lines_with_slots_and_say_what_is_odd():
    found = read("film.srt", SRT)
    assert found.kind == "SubRip subtitles"
    assert texts(found) == ["Nobody at Orsey needs a clock.", "The sea & the mill.", "Backwards.", "Crossing. 1984"]
    assert slots(found) == [(1, 3), (5.24, 7.52), None, (4, 6)]
    said = " | ".join(found.doubts)
    assert "cue 3 ends before it begins" in said and "cue 4 has no words" in said and "line 4 begins before" in said


def test_webvtt_with_head_notes_styles_voices_and_names():
    text = (
        "WEBVTT - The Tide Mill\nKind: captions\n\nSTYLE\n::cue { color: red }\n\nNOTE slowly here\n\n"
        "7\n00:01.000 --> 00:02.000 align:start\n<v Maren>Listen, &lt;closely&gt;.\n\n"
        "NOTE mind the name\n\n01:00:00.000 --> 01:00:01.500\nAn hour in.\n"
    )
    found = read("x.txt", text)
    assert found.kind == "WebVTT subtitles"
    assert texts(found) == ["Listen, <closely>.", "An hour in."]
    assert [draft.notes for draft in found.drafts] == ["slowly here", "mind the name"]
    assert slots(found)[texts(found).index("An hour in.")] == (3600, 3601.52)


def test_tables_are_understood_by_their_names_or_by_what_they_hold():
    named = (
        "Shot;TC in;TC out;Narration;Note\n1;10:00:01:00;10:00:03:12;Nobody needs a clock.;slow\n2;10:00:05:00;;Listen.;\n"
    )
    found = read("t.csv", named)
    assert (texts(found), slots(found)) == (["Nobody needs a clock.", "Listen."], [(1, 3.48), None])
    assert found.columns == Columns(1, 2, None, 3, 4, None) and "left out: the column Shot" in found.doubts
    bare = "0:01\t0:02.5\tFirst, with a comma.\n0:04\t0:06\tSecond.\n"
    found = read("t.tsv", bare)
    assert (texts(found), slots(found)) == (["First, with a comma.", "Second."], [(1, 2.52), (4, 6)])
    again = read("t.csv", named, columns=Columns(words=4))
    assert texts(again) == ["slow"]
    odd = read("t.csv", "in,out,text\nsoon,0:02,One.\n0:03,,\n0:05,0:04,Two.\n")
    assert texts(odd) == ["One.", "Two."] and slots(odd) == [None, None]
    assert [d.split(":")[0] for d in odd.doubts] == [
        "row 2", "row 2 has an end only, so it gets no slot", "row 4 ends before it begins, so it gets no slot",
        "1 row without words was left out",
    ]  # fmt: skip
    read_by = read("t.csv", 'Text,Direction,Voice\nOne. And two.,"warm,\nslow",Anne\n,only a note,\n')
    assert read_by.drafts == (Draft("One. And two.", None, "warm,\nslow", "Anne"),)
    assert read_by.doubts == ("1 row without words was left out",)
    with pytest.raises(ScriptRefused, match="No column"):
        read("t.csv", "in,out\n0:01,0:02\n")


def test_markdown_keeps_the_words_and_drops_the_marks():
    text = "# The mill\n\nA *slow* **wheel**\nturns [here](http://x).\n\n- oak\n- `elm`\n\n***\n\n> said __he__\n"
    assert texts(read("s.md", text)) == ["A slow wheel turns here.", "oak", "elm", "said he"]


W = 'xmlns:w="http://schemas.openxmlformats.org/wordprocessingml/2006/main"'


def docx(body, notes="", **more):
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr("word/document.xml", f"<w:document {W}><w:body>{body}</w:body></w:document>")
        if notes:
            archive.writestr("word/footnotes.xml", f"<w:footnotes {W}>{notes}</w:footnotes>")
        for name, data in more.items():
            archive.writestr(name, data)
    return out.getvalue()


def p(*runs):
    return "<w:p>" + "".join(runs) + "</w:p>"


def r(text):
    return f'<w:r><w:t xml:space="preserve">{escape(text)}</w:t></w:r>'


def test_a_word_document_gives_every_word_but_the_deleted_ones():
    body = (
        p(r("Nobody at "), r("Orsey."))
        + f"<w:tbl><w:tr><w:tc>{p(r('cell one'))}</w:tc><w:tc>{p(r('cell two'))}</w:tc></w:tr></w:tbl>"
        + p("<w:ins>", r("inserted "), "</w:ins>", "<w:del><w:r><w:delText>gone</w:delText></w:r></w:del>", r("kept"))
        + p(r("a"), "<w:r><w:tab/></w:r>", r("b"), "<w:r><w:br/></w:r>", r("c"))
        + f"<w:sdt><w:sdtContent>{p(r('in a field'))}</w:sdtContent></w:sdt>"
        + p('<w:hyperlink w:id="1">', r("linked"), "</w:hyperlink>")
    )
    found = read("script.docx", docx(body, notes=f"<w:footnote>{p(r('a note'))}</w:footnote>"))
    assert texts(found) == [
        "Nobody at Orsey.", "cell one", "cell two", "inserted kept", "a b", "c", "in a field", "linked", "a note",
    ]  # fmt: skip
    assert any("tracked changes" in doubt for doubt in found.doubts) and any(
        "1 note at the foot" in d for d in found.doubts
    )


def test_hostile_documents_are_refused_and_cost_little():
    with pytest.raises(ScriptRefused, match="unpacks to far more"):
        read("bomb.docx", docx("<w:p/>" + " " * (LARGEST_DOCUMENT + 10)))
    entities = (
        '<!DOCTYPE x [<!ENTITY a "aaaa"><!ENTITY b "&a;&a;&a;">]>' + f"<w:document {W}><w:body>&b;</w:body></w:document>"
    )
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as archive:
        archive.writestr("word/document.xml", entities)
    for bad in (out.getvalue(), docx(p(r("x")))[:-40], b"PK\x03\x04" + bytes(100)):
        with pytest.raises(ScriptRefused, match="damaged"):
            read("bad.docx", bad)
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as archive:
        archive.writestr("x.txt", "x")
    with pytest.raises(ScriptRefused, match="no document"):
        read("x.docx", out.getvalue())


@pytest.mark.parametrize(
    ("data", "said"),
    [(b"", "no words"), (b"  \n\t\n", "no words"), (bytes(range(256)) * 20, "no text"), (b"a" * (21 << 20), "MB large")],
)
def test_what_is_no_script_is_refused_with_the_reason(data, said):
    with pytest.raises(ScriptRefused, match=said):
        read("x.txt", data)


def test_ten_megabytes_of_text_lose_no_word_and_a_line_too_long_becomes_several():
    words = " ".join(f"word{n}" for n in range(2000))
    found = read("long.txt", "\n".join([words] * 700))
    assert sum(len(draft.text.split()) for draft in found.drafts) == 2000 * 700
    assert max(len(draft.text) for draft in found.drafts) <= 4000
    with pytest.raises(ScriptRefused, match="holds at most"):
        read("many.txt", "a\n" * 20_001)


def test_long_lines_are_parted_where_a_reader_would_breathe():
    table = "in,out,text,note\n0:01,0:11,The sea comes up the creek. It fills the pond behind the wall.,slow\n"
    found = read("t.csv", table, longest=40)
    assert texts(found) == ["The sea comes up the creek.", "It fills the pond behind the wall."]
    assert [draft.notes for draft in found.drafts] == ["slow", ""]
    one, two = (draft.slot for draft in found.drafts)
    assert (one.start, one.end, two.end) == (S, two.start, 11 * S)


def test_letters_that_cannot_be_read_are_counted():
    inquiry = Inquiry()
    decode(b"\xff\xfea", inquiry)
    assert inquiry.doubts == ["1 letter could not be read and stands as \ufffd"]


rates = st.sampled_from(FRAME_RATES)
spoken = st.text(st.characters(codec="utf-8", exclude_categories=["Cc", "Cs", "Cf", "Zl", "Zp"]), min_size=1, max_size=60)


AS_LINES = {
    "titles": "lines",
    "bites": "lines",
    "numbered": "lines",
    "directions": "words",
    "headings": "words",
    "asides": "words",
}
"""What may be taken for something else is words."""


def means_something(text):
    """Marks of the forms themselves; names before words, numbers, times and little pictures, taken for what they are."""
    return (
        any(mark in text for mark in ("-->", "->", "<", "&", "{", "NOTE", "STYLE", "REGION", ":", "："))
        or text[0] in "'[(#♪♫-–—•*▪◦‣·►+=_~@>"
        or text[0].isdigit()
        or unicodedata.category(text[0]) == "So"
        or text.isupper()
        or "page" in text.casefold()
        or text.casefold() in ("none", "nil", "tbd", "tbc", "n/a")
    )


@settings(max_examples=150, deadline=None)
@given(
    rates,
    st.lists(st.tuples(spoken, st.integers(0, 5000), st.integers(1, 400)), min_size=1, max_size=8),
    st.sampled_from(FORMS),
)
def test_what_goes_out_comes_back_in_the_same(rate, drawn, form):
    lines = []
    frame = 0
    for number, (text, gap, length) in enumerate(drawn, start=1):
        folded = " ".join(paragraphs(text))
        if not folded or means_something(folded):
            continue
        slot = Span(rate.first_sample(frame + gap), rate.first_sample(frame + gap + length))
        frame += gap + length
        lines.append(Line(str(number), str(number), folded, slot))
    assume(lines)
    start = 10 * 3600 * rate.nominal
    out = words_out(lines, form, rate, start)
    back = read_script(f"x.{form}", out.encode(), rate, start, choices=AS_LINES)
    assert [draft.text for draft in back.drafts] == [line.text for line in lines]
    if form != "txt":
        assert [draft.slot for draft in back.drafts] == [line.slot for line in lines]


def test_drafts_become_lines_between_others_and_keep_their_slots():
    ids = iter(f"n{n}" for n in range(9))
    lines = (Line("a", "1", "One."), Line("b", "2", "Two."))
    drafts = [Draft("New.", Span(S, 2 * S)), Draft("Newer.")]
    made = add_drafts(lines, "a", drafts, RATE, {}, lambda: next(ids))
    assert [(line.number, line.text, line.slot) for line in made] == [
        ("1", "One.", None), ("1a", "New.", Span(S, 2 * S)), ("1b", "Newer.", None), ("2", "Two.", None),
    ]  # fmt: skip
    noted = add_drafts(lines, None, [Draft("x", None, "slow\n warm", "ANNE")], RATE, {"anne": "r1"}, lambda: "z")
    assert (noted[-1].notes, noted[-1].reader) == ("slow\nwarm", "r1")
    with pytest.raises(EditRefused, match="no length"):
        add_drafts(lines, None, [Draft("x", Span(5, 6))], RATE, {}, lambda: "z")


@settings(max_examples=100, deadline=None)
@given(st.lists(st.tuples(spoken, st.lists(spoken, max_size=3), st.sampled_from(["", "r1", "r2"])), min_size=1, max_size=6))
def test_a_table_brings_back_notes_and_readers(drawn):
    names = {"r1": "Anne", "r2": "=Bert"}
    lines = []
    for number, (text, notes, reader) in enumerate(drawn, start=1):
        folded, noted = " ".join(paragraphs(text)), "\n".join(paragraphs("\n".join(notes)))
        if not folded or means_something(folded) or noted.startswith("'"):
            continue
        lines.append(Line(str(number), str(number), folded, notes=noted, reader=reader or None))
    assume(lines)
    table = words_out(lines, "csv", RATE, TEN, names)
    back = read_script("x.csv", table.encode(), RATE, TEN, choices=AS_LINES)
    told = [(line.text, line.notes, names.get(line.reader or "", "")) for line in lines]
    assert [(draft.text, draft.notes, draft.reader) for draft in back.drafts] == told


@pytest.mark.parametrize(("ending", "make"), [pytest.param(e, m, id=n) for n, e, m in scripts.files(2 << 20)])
def test_files_that_are_made_to_be_costly_are_read_or_refused_in_a_process_of_their_own(ending, make):
    data = make()
    try:
        found = apart.read_script_apart("a" + ending, data, FrameRate(Fraction(25)))
    except ScriptRefused as error:
        # SpokenWord by the reader itself: it was not ended by a limit.
        assert "given up" not in str(error)
        return
    if ending in (".txt", ".md"):
        kept = sum(len("".join(draft.text.split())) for draft in found.drafts)
        assert kept >= len("".join(data.decode(errors="ignore").split())) * (1.0 if ending == ".txt" else 0.3)


def test_a_file_read_apart_is_the_same_and_one_that_costs_too_much_is_given_up(monkeypatch):
    table = b"Start,End,Words,Reader\n00:00:01:00,00:00:02:12,The tide turns.,Maren\n,,Listen.,\n"
    for name, columns in (("a.csv", None), ("a.csv", Columns(0, 1, None, 3, 2))):
        asked = (name, table, FrameRate(Fraction(30000, 1001), True), 107_892, columns, 20)
        assert apart.read_script_apart(*asked) == read_script(*asked)
    with pytest.raises(ScriptRefused, match="no words"):
        apart.read_script_apart("a.txt", b" ", FrameRate(Fraction(25)))
    monkeypatch.setattr(apart, "MEMORY", 150 << 20)
    with pytest.raises(ScriptRefused, match="given up"):
        apart.read_script_apart("a.txt", b"word " * (4 << 20), FrameRate(Fraction(25)))


def test_marks_in_words_stay_and_marks_inside_of_marks_go():
    marked = b"**Then _the_ keeper** lifts file_name_one, 3 * 4 and `one` ~~two~~ *"
    drafts = read_script("a.md", marked, FrameRate(Fraction(25))).drafts
    assert drafts[0].text == "Then the keeper lifts file_name_one, 3 * 4 and one two *"


@pytest.mark.parametrize("kind", sent.KINDS)
def test_a_script_comes_in_as_its_sender_meant(kind):
    scores = [sent.score(kind, seed) for seed in range(3)]
    assert all(each.whole for each in scores), scores


def asked(found):
    return {question.key: question for question in found.questions}


def test_everything_that_was_guessed_can_be_refused():
    timed = "[00:02] MAREN: The tide turns.\n[00:05] OSKAR: And the wheel with it.\n"
    found = read("a.txt", timed)
    assert [(draft.reader, draft.slot is not None) for draft in found.drafts] == [("MAREN", True), ("OSKAR", True)]
    assert set(asked(found)) == {"times", "readers", "clock-two"}
    kept = read("a.txt", timed, choices={"times": "words", "readers": "words"})
    assert texts(kept) == timed.strip().split("\n") and slots(kept) == [None, None]
    # An answer that nobody offers changes nothing.
    assert read("a.txt", timed, choices={"times": "perhaps", "nothing": "x"}).drafts == found.drafts
    name, data, lines = sent.wrapped(60)(5)
    rows = read(name, data, choices={"rows": "rows"})
    assert len(rows.drafts) > len(lines)
    name, data, _ = sent.numbered(5)
    assert texts(read(name, data, choices={"numbers": "words"}))[0].startswith("1. ")


def test_what_numbers_mean_is_told_by_the_words_and_asked():
    name, data, lines = sent.frames_as_numbers(7)
    found = read(name, data)
    assert asked(found)["clock-whole"].chosen == "frames"
    as_seconds = read(name, data, choices={"clock-whole": "seconds"})
    assert slots(as_seconds)[0][0] == 25 * lines[0].slot.start / S
    name, data, lines = sent.another_start(1)(7)
    assert asked(read(name, data))["origin"].chosen == "hour"
    running = read(name, data, choices={"origin": "running"})
    assert running.drafts[0].slot.start == lines[0].slot.start + 3600 * S
    faster = "in,out,text\n10:00:01:29,10:00:03:10,The tide turns at noon.\n"
    found = read("a.csv", faster)
    assert asked(found)["counted"].chosen == "30" and slots(found) == [(1.96, 3.32)]


def test_letters_are_asked_with_the_likeliest_chosen():
    data = sent.in_encoding("ru", "cp1251", "txt")(3)[1]
    found = read("a.txt", data)
    assert asked(found)["letters"].chosen == "cp1251"
    greek = read("a.txt", data, choices={"letters": "cp1253"})
    assert greek.encoding == "cp1253" and texts(greek) != texts(found)


def test_hidden_words_comments_and_what_stands_around_a_table_come_back_when_asked():
    body = p(r("Kept."), "<w:r><w:rPr><w:strike/></w:rPr><w:t> Struck.</w:t></w:r>")
    assert texts(read("a.docx", docx(body))) == ["Kept."]
    assert texts(read("a.docx", docx(body), choices={"struck": "in"})) == ["Kept. Struck."]
    name, data, lines = sent.word_timed(4)
    assert len(read(name, data, choices={"around": "lines"}).drafts) == len(lines) + 1
    name, data, _ = sent.word_comments(4)
    assert not any(draft.notes for draft in read(name, data, choices={"comments": "out"}).drafts)


@pytest.mark.parametrize(
    ("name", "data", "said"),
    [
        ("a.doc", b"\xd0\xcf\x11\xe0" + bytes(600), "Word document of the old kind"),
        ("a.html", b"<html>" + b"<p>Words. " * 700_000, "6 MB large; one may have 4 MB"),
        ("a.xml", b"<?xml version='1.0'?><tt/>", "XML"),
        ("a.rtf", b"{\\rtf1 " + b"{" * 50, "no words|damaged"),
        ("a.pdf", b"%PDF-1.7 nothing", "damaged or locked"),
        ("a.xlsx", b"PK\x03\x04" + bytes(40), "damaged"),
        ("a.txt", b"\x89PNG\r\n" + bytes(90), "a picture"),
    ],
)
def test_other_files_are_refused_by_name(name, data, said):
    with pytest.raises(ScriptRefused, match=said):
        read(name, data)


def test_sheets_of_a_workbook_are_asked_and_a_later_one_may_hold_the_script():
    rows = [["Start", "End", "Text"]]
    data = sent.xlsx(rows, [[S, 3 * S, "The tide turns."]], 86_400)
    found = read("a.xlsx", data)
    assert (texts(found), slots(found), found.kind) == (["The tide turns."], [(1, 3)], "spreadsheet")
    assert "sheet" not in asked(found)
