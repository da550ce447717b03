"""Files to the browser: with ranges, so that every seek of a film and every piece of a take can be asked for alone."""

import re
from collections.abc import Callable, Iterator
from pathlib import Path
from urllib.parse import quote

from django.http import Http404, HttpRequest, HttpResponse, HttpResponseBase, StreamingHttpResponse
from django.utils.http import http_date, parse_http_date_safe

LARGEST_REPLY = 2 << 20
_RANGE = re.compile(r"^bytes=(\d*)-(\d*)$")


class IsolationMiddleware:
    """Cross-origin isolation (finer time stamps) and no caching of what belongs to somebody, on every reply."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponseBase]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponseBase:
        response = self.get_response(request)
        response.headers["Cross-Origin-Embedder-Policy"] = "require-corp"
        response.headers["Cross-Origin-Resource-Policy"] = "same-origin"
        if request.path.startswith("/api/"):
            response.headers.setdefault("Cache-Control", "private, no-store")
        return response


def _pieces(path: Path, start: int, length: int) -> Iterator[bytes]:
    with path.open("rb") as file:
        file.seek(start)
        while length > 0 and (data := file.read(min(length, 256 << 10))):
            length -= len(data)
            yield data


def _wanted(header: str, size: int) -> tuple[int, int] | None:
    """First and last byte asked for; None for a form that is not understood (the whole file is sent then).

    Raises:
        ValueError: outside the file (416).
    """
    match = _RANGE.match(header.strip())
    if not match or not (match[1] or match[2]):
        return None
    if not match[1]:
        first, last = max(0, size - int(match[2])), size - 1
        if int(match[2]) == 0:
            raise ValueError
    else:
        first, last = int(match[1]), min(int(match[2]) if match[2] else size - 1, size - 1)
    if first >= size or last < first:
        raise ValueError
    return first, last


def attachment(name: str) -> dict[str, str]:
    """The header by which a browser puts an answer away under a name (RFC 6266)."""
    return {"Content-Disposition": f"attachment; filename*=UTF-8''{quote(name)}"}


def send_file(request: HttpRequest, path: Path, content_type: str, download_as: str | None = None) -> HttpResponseBase:
    """The file or the range that is asked for (206, 416, suffix ranges, If-Range), at most `LARGEST_REPLY` a range."""
    try:
        stat = path.stat()
    except OSError as error:
        raise Http404 from error
    size, etag = stat.st_size, f'"{stat.st_size:x}-{stat.st_mtime_ns:x}"'
    headers = {"Accept-Ranges": "bytes", "ETag": etag, "Last-Modified": http_date(stat.st_mtime)}
    headers["Cache-Control"] = "private, max-age=0, must-revalidate"
    if download_as:
        headers |= attachment(download_as)
    if request.headers.get("If-None-Match") == etag:
        return HttpResponse(status=304, headers=headers)
    first, last, status = 0, size - 1, 200
    fresh = request.headers.get("If-Range", etag)
    since = parse_http_date_safe(fresh) if fresh != etag else None
    if "Range" in request.headers and (fresh == etag or since == int(stat.st_mtime)):
        try:
            wanted = _wanted(request.headers["Range"], size)
        except ValueError:
            return HttpResponse(status=416, headers={**headers, "Content-Range": f"bytes */{size}"})
        if wanted:
            first, last = wanted
            last, status = min(last, first + LARGEST_REPLY - 1), 206
            headers["Content-Range"] = f"bytes {first}-{last}/{size}"
    headers["Content-Length"] = str(last - first + 1)
    body = _pieces(path, first, last - first + 1) if request.method != "HEAD" else iter(())
    return StreamingHttpResponse(body, status=status, content_type=content_type, headers=headers)
