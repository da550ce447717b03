"""What requests and answers carry. JSON goes by orjson: a production of 1,200 lines is several megabytes of it."""

from typing import IO, Any

import orjson
from rest_framework.exceptions import ParseError
from rest_framework.parsers import BaseParser
from rest_framework.renderers import JSONRenderer


class QuickJSONRenderer(JSONRenderer):
    """The framework's JSON, several times as fast. Values it does not know (errors' texts, dates) are written as text."""

    def render(self, data: Any, accepted_media_type: str | None = None, renderer_context: Any = None) -> bytes:
        return b"" if data is None else orjson.dumps(data, default=str, option=orjson.OPT_NON_STR_KEYS)


class StrictJSONParser(BaseParser):
    """JSON as its standard (RFC 8259) has it: no NaN, no halves of characters, nothing nested without end."""

    media_type = "application/json"

    def parse(self, stream: IO[bytes], media_type: str | None = None, parser_context: Any = None) -> Any:
        try:
            return orjson.loads(stream.read())
        except orjson.JSONDecodeError as error:
            raise ParseError(f"This is no JSON that can be read: {str(error)[:100]}. Nothing was changed.") from error


def bytes_parser(largest: int) -> type[BaseParser]:
    """A parser of a body that is taken as it comes; of what is too large one byte too many is read, so that it is seen."""

    class BytesParser(BaseParser):
        media_type = "application/octet-stream"

        def parse(self, stream: IO[bytes], media_type: str | None = None, parser_context: Any = None) -> Any:
            return stream.read(largest + 1)

    return BytesParser
