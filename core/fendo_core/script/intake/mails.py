"""Mails and web pages saved in one file (RFC 5322, RFC 2045, RFC 2557): the script is in their text, or attached."""

import re
from email import policy
from email.errors import MessageError
from email.message import EmailMessage
from email.parser import BytesParser
from itertools import islice

from fendo_core.script.intake.inquiry import Inquiry, ScriptRefused

_FIELD = re.compile(rb"^([A-Za-z][A-Za-z-]{1,40}):[ \t]", re.MULTILINE)
_OF_MAIL = {b"received", b"mime-version", b"message-id", b"content-type", b"return-path", b"x-mailer"}
_SCRIPTS = re.compile(
    r"\.(?:docx|odt|pptx|odp|rtf|pdf|html?|csv|tsv|xlsx?|ods|srt|vtt|ass|ttml|sbv|txt|md|json|epub)$", re.IGNORECASE
)
_MOST_PARTS, _MOST_MARKS = 200, 10_000
"""Parts that are looked at; marks between parts."""
_TEXT = "text"


def is_mail(data: bytes) -> bool:
    """Whether a file begins with the fields of a mail."""
    head = re.split(rb"\r?\n\r?\n", data[:16_384], maxsplit=1)[0]
    names = {name.lower() for name in _FIELD.findall(head)}
    return bool(_FIELD.match(head) and names & _OF_MAIL and names & {b"mime-version", b"from", b"content-type"})


def script_of(data: bytes, inquiry: Inquiry) -> tuple[str, bytes]:
    """The name and the content of what a mail holds: what is attached to it, where that can be a script, or its own text.

    Raises:
        ScriptRefused: for one that is damaged or empty.
    """
    if data.count(b"\n--") > _MOST_MARKS:
        raise ScriptRefused("This mail has far more parts than one that holds a script. Save its text, and bring that in.")
    try:
        message = BytesParser(policy=policy.default).parsebytes(data)
        walked = islice(message.walk(), _MOST_PARTS)
        parts = [part for part in walked if isinstance(part, EmailMessage) and not part.is_multipart()]
        files = {name: part for part in parts if _SCRIPTS.search(name := part.get_filename() or "")}
        if files:
            options = (*((name, f"“{name[:60]}”") for name in files), (_TEXT, "its own text"))
            chosen = inquiry.ask("mail", "read from the mail", options, next(iter(files)))
            if chosen in files:
                return chosen, _raw(files[chosen])
        texts = {kind: [part for part in parts if part.get_content_type() == f"text/{kind}"] for kind in ("html", "plain")}
        pages = [_written(part) for part in texts["html"] if not part.get_filename()][:1]
        rows = [_written(part) for part in texts["plain"] if not part.get_filename()][:1]
    except (MessageError, RecursionError, ValueError, LookupError, AssertionError) as error:
        raise ScriptRefused("This mail is damaged. Save its text as plain text, and bring that in.") from error
    if pages and (not rows or "<table" in pages[0].casefold()):
        return "mail.html", f"\ufeff{pages[0]}".encode()
    if rows:
        return "mail.txt", f"\ufeff{rows[0]}".encode()
    raise ScriptRefused("There are no words in this mail.")


def _raw(part: EmailMessage) -> bytes:
    content = part.get_payload(decode=True)
    return content if isinstance(content, bytes) else b""


def _written(part: EmailMessage) -> str:
    """The text of a part; what its letters are called may be unknown."""
    try:
        return str(part.get_content())
    except LookupError:
        return _raw(part).decode("utf-8", "replace")
