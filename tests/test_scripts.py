"""Scripts from files, by the real interface: looked at first, then made; and out again."""

import io
import zipfile

import pytest
from playwright.sync_api import Page, expect

from harness import bring_in_film, new_production
from probe import api

pytestmark = pytest.mark.browser

W = 'xmlns:w="http://schemas.openxmlformats.org/wordprocessingml/2006/main"'


def document(*paragraphs: str) -> bytes:
    """A Word document of these paragraphs, the first of them with a tracked change."""
    body = "".join(f"<w:p><w:r><w:t>{words}</w:t></w:r></w:p>" for words in paragraphs)
    body = body.replace("<w:p>", "<w:p><w:del><w:r><w:delText>Gone. </w:delText></w:r></w:del>", 1)
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr("word/document.xml", f"<w:document {W}><w:body>{body}</w:body></w:document>")
    return out.getvalue()


def choose(page: Page, name: str, data: bytes) -> None:
    with page.expect_file_chooser() as waited:
        page.get_by_role("button", name="Bring in a file").click()
    waited.value.set_files({"name": name, "mimeType": "application/octet-stream", "buffer": data})


def test_a_document_onto_a_finished_cut_then_a_table_with_times_then_subtitles_out_and_in(
    desk: Page, own_film, tmp_path, complaints
):
    page = desk
    new_production(page, "Scripts")
    bring_in_film(page, own_film)
    page.keyboard.press("2")
    choose(page, "creek.docx", document("The path begins at the bridge.", "Watch the water turn.", "Home again."))
    preview = page.get_by_test_id("script-preview")
    expect(preview).to_contain_text("3 lines from a Word document, none with a time")
    expect(preview).to_contain_text("tracked changes")
    expect(preview).not_to_contain_text("Gone.")
    page.get_by_test_id("make-lines").click()
    rows = page.get_by_test_id("page").get_by_role("option")
    expect(rows).to_have_count(3)
    expect(page.get_by_text("spare").first).to_be_visible()
    page.get_by_text("Script", exact=True).last.click()

    choose(page, "more.csv", b"in;out;Narration;Shot\n0:09;0:10,5;Nearly there.;softly\n0:11;0:10;Backwards.;\n")
    expect(preview).to_contain_text("2 lines from a table (utf-8), 1 with a slot")
    expect(preview).to_contain_text("row 3 ends before it begins")
    expect(preview).to_contain_text("left out: the column Shot")
    page.get_by_role("combobox", name="words").click()
    page.get_by_role("option", name="Shot").click()
    expect(preview).to_contain_text("1 line from a table")
    page.get_by_role("combobox", name="words").click()
    page.get_by_role("option", name="Narration").click()
    expect(preview).to_contain_text("2 lines from a table")
    page.get_by_test_id("make-lines").click()
    expect(rows).to_have_count(5)
    page.keyboard.press("Control+z")
    expect(rows).to_have_count(3)

    page.get_by_role("button", name="Words as a file").click()
    with page.expect_download() as waited:
        page.get_by_role("menuitem", name="subtitles, SubRip").click()
    path = tmp_path / "out.srt"
    waited.value.save_as(path)
    whole = api(page, "GET", f"/api/productions/{page.url.split('/')[4]}/")
    choose(page, "out.srt", path.read_bytes())
    expect(preview).to_contain_text("3 lines from SubRip subtitles (utf-8), 3 with a slot")
    expect(preview).to_contain_text("all of these words are in the script already")
    page.get_by_test_id("make-lines").click()
    expect(rows).to_have_count(6)
    again = api(page, "GET", f"/api/productions/{whole['id']}/")["lines"]
    assert [(line["text"], line["slot"]) for line in again[3:]] == [(line["text"], line["slot"]) for line in again[:3]]

    # What was guessed stands as a question with its answer, and can be refused.
    choose(page, "timed.txt", b"[00:12] MAREN: The tide turns.\n[00:15] OSKAR: And the wheel with it.\n")
    expect(preview).to_contain_text("2 lines from plain text (utf-8), 2 with a slot")
    expect(preview).to_contain_text("New readers come with it: MAREN, OSKAR.")
    page.get_by_role("combobox", name="MAREN, OSKAR, in front of the words").click()
    page.get_by_role("option", name="words", exact=True).click()
    expect(preview).not_to_contain_text("New readers")
    expect(preview).to_contain_text("MAREN: The tide turns.")
    page.get_by_role("button", name="Leave it").click()

    # What is no script is refused in words, and nothing changes.
    choose(page, "broken.docx", b"PK\x03\x04 not really")
    expect(page.get_by_text("This document is damaged")).to_be_visible()
    expect(rows).to_have_count(6)
    assert [said for said in complaints if "422" not in said] == []
