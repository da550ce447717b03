"""Mails and web pages saved in one file (RFC 5322, RFC 2045, RFC 2557): the script is in their text, or attached."""

import re
from email import policy
from email.errors import MessageError
from email.message import EmailMessage
from email.parser import BytesParser
from itertools import islice

from fendo_core.script.intake.inquiry import Inquiry, ScriptRefused
from fendo_core.script.lines import MOST_LINES

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
    """The text of a part; what its letters are called may be unknown, or wrong."""
    raw = _raw(part)
    if not raw.isascii():
        try:
            return raw.decode("utf-8-sig")
        except UnicodeDecodeError:
            pass
    try:
        return str(part.get_content()).replace("ï»¿", "")
    except LookupError:
        return raw.decode("utf-8", "replace")


_FIELDS = (
    r"from|von|de|da|van|fr[åa]n|fra|od|от|sent|date|gesendet|datum|envoy[ée]|inviato|data|enviado(?: el)?|fecha|verzonden"
    r"|skickat|wys[łl]ano|отправлено|дата|to|an|[àa]|para|per|aan|till|til|do|кому|cc|kopie|subject|betreff|objet|oggetto"
    r"|asunto|assunto|onderwerp|[äe]mne|temat|тема|reply-to|importance"
)
_FIELD_ROW = re.compile(rf"[*_]{{0,2}}({_FIELDS})[*_]{{0,2}}[ \xa0]?:[*_]{{0,2}}(?:[ \t\xa0].{{0,500}})?", re.IGNORECASE)
_OPENED = re.compile(
    r"[-_ *]{2,20}(?:original message|forwarded message|forwarded by .{0,60}"
    r"|urspr[üu]ngliche nachricht|weitergeleitete nachricht"
    r"|message (?:d['’]origine|original|transf[ée]r[ée])|mensaje (?:original|reenviado)|messaggio (?:originale|inoltrato)"
    r"|oorspronkelijk bericht|doorgestuurd bericht|mensagem (?:original|encaminhada)"
    r"|исходное сообщение|пересланное сообщение"
    r"|wiadomo[śs][ćc] (?:oryginalna|przekazana))[-_ *]{2,20}"
    r"|begin forwarded message:|anfang der weitergeleiteten nachricht:|début du message réexpédié :",
    re.IGNORECASE,
)
_RULED = re.compile(r"_{20,80}")
_WROTE = re.compile(
    r"(?:on|am|le|el|il giorno|il|op|em|den|dnia) .{4,160}\d.{0,160}(?:wrote|schrieb|a [ée]crit|escribi[óo]"
    r"|ha scritto|schreef"
    r"|escreveu|skrev|napisa[łl]\w{0,3})\b.{0,80}:|.{4,160}\d.{0,160}(?:пишет|написал\w{0,3}|пользователь.{0,120})\s?:",
    re.IGNORECASE,
)
_OPENING = frozenset("-_*BbAaDd")
"""What introductions begin with."""
_WROTE_AT = frozenset({"on ", "am ", "le ", "el ", "il ", "op ", "em ", "den", "dni"})
_SENT_WITH = re.compile(
    r"(?:sent|envoy[ée]|gesendet|inviato|enviado|verzonden|отправлено|von meinem .{2,20} gesendet|get outlook)"
    r"(?: (?:from|with|depuis|de|von|da|desde|vanaf|с|for)\b.{0,60})?",
    re.IGNORECASE,
)
_LONGEST_SIGNATURE = 10
"""Rows, with the one that marks it."""
_SHORT_NOTE = 60
"""Words of a mail that says something about the one below it."""


def of_thread(text: str, inquiry: Inquiry) -> str:
    """The words of a mail that stands above or below others: its own, or those of the one below it; asked.

    What a mail puts around others (their fields, who wrote when, marks of quotation) is left out.
    """
    rows = text.splitlines()
    cuts = _cuts(rows)
    if not cuts:
        return text
    mails = [rows[: cuts[0][0]]]
    for (_, start), following in zip(cuts, [*cuts[1:], (len(rows), 0)], strict=True):
        held = rows[start : following[0]]
        if any(map(_QUOTE.match, held)):
            # Who answers below what they quote, or between it, marks nothing of their own.
            mails[0] += [row for row in held if not _QUOTE.match(row)]
            held = [_QUOTE.sub("", row) for row in held if _QUOTE.match(row)]
        mails.append(held)
    said = ["\n".join(_unsigned(mail)).strip() for mail in mails]
    counts = [len(words.split()) for words in said]
    if not any(counts):
        return text
    earlier = max(range(1, len(said)), key=lambda place: counts[place])
    if not counts[0]:
        inquiry.doubt("what a mail says of itself, above its words, was left out")
        return said[earlier]
    if not counts[earlier]:
        return said[0]
    likeliest = "below" if counts[0] < _SHORT_NOTE and counts[earlier] > 1.5 * counts[0] else "own"
    options = (("own", "what stands at the top"), ("below", "the mail below it"), ("all", "everything"))
    chosen = inquiry.ask("thread", "several mails, one below another: read", options, likeliest)
    return text if chosen == "all" else said[0] if chosen == "own" else said[earlier]


_QUOTE = re.compile(r"^(?:[>|] ?)+")
_MOST_MAILS, _MOST_FIELDS = 50, 12


def _cuts(rows: list[str]) -> list[tuple[int, int]]:
    """Where mails below the first one begin: the row of what introduces each, and the first row of its words."""
    found: list[tuple[int, int]] = []
    place = 0
    while place < min(len(rows), MOST_LINES) and len(found) < _MOST_MAILS:
        end = _introduced(rows, place)
        if end:
            found.append((place, end))
        place = end or place + 1
    return found


def _introduced(rows: list[str], place: int) -> int:
    """Behind what introduces another mail at a row; 0: nothing does."""
    if len(rows[place]) > 500:
        return 0
    row = _QUOTE.sub("", rows[place]).strip()
    if not (":" in row or row[:1] in _OPENING or row[:3].lower() in _WROTE_AT):
        return 0
    below = [_QUOTE.sub("", each[:500]).strip() for each in rows[place + 1 : place + 2]]
    quoted = any(map(_QUOTE.match, rows[place + 1 : place + 4]))
    for count, said in enumerate([row, " ".join([row, *below])], start=1):
        # “On 3 March the captain wrote:” may well be read; mails say at what hour, or quote.
        if said.endswith(":") and _WROTE.fullmatch(said) and (quoted or "@" in said or _HOUR.search(said)):
            return place + count
    opened = bool(row[:1] in _OPENING and _OPENED.fullmatch(row))
    ruled = bool(_RULED.fullmatch(row))
    end = first = place + (opened or ruled)
    while end < min(len(rows), first + _MOST_FIELDS):
        blank = not rows[end].strip(" >")
        if not (_field(rows[end]) or (blank and (opened or end == first))):
            break
        end += 1
    fields = set(filter(None, map(_field, rows[first:end])))
    if opened:
        return end
    return end if len(fields) >= 3 and any(map(_OF_A_MAIL.fullmatch, fields)) else 0


_HOUR = re.compile(r"\b\d{1,2}[:.h]\d{2}\b")
_OF_A_MAIL = re.compile(
    r"sent|date|gesendet|datum|envoy[ée]|inviato|data|enviado.{0,3}|fecha|verzonden|skickat|wys[łl]ano|отправлено|дата|subject"
    r"|betreff|objet|oggetto|asunto|assunto|onderwerp|[äe]mne|temat|тема",
    re.IGNORECASE,
)


def _field(row: str) -> str:
    """The name of a field of a mail that a row holds; "": it holds none."""
    found = ":" in row[:40] and _FIELD_ROW.fullmatch(_QUOTE.sub("", row[:600]).strip())
    return found[1].lower() if found else ""


def _unsigned(rows: list[str]) -> list[str]:
    """Rows of a mail without its signature."""
    marked = next((n for n, row in enumerate(rows) if row in ("-- ", "--")), len(rows))
    # A mark far above the end parts something else (RFC 3676, 4.3).
    kept = rows[:marked] if sum(bool(row.strip()) for row in rows[marked:]) <= _LONGEST_SIGNATURE else list(rows)
    while kept and (not kept[-1].strip() or (len(kept[-1]) < 80 and _SENT_WITH.fullmatch(kept[-1].strip()))):
        kept.pop()
    return kept
