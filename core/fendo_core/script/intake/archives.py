"""The XML parts of archives, which documents, workbooks and presentations are, and what they refer to."""

import posixpath
import re
import zipfile
from collections.abc import Iterable, Mapping
from xml.etree.ElementTree import Element

from defusedxml import DefusedXmlException
from defusedxml.ElementTree import ParseError, fromstring

from fendo_core.script.intake.inquiry import ScriptRefused

LARGEST_DOCUMENT = 24 << 20
"""Bytes of XML in a document once unpacked."""
# RuntimeError: also of what is nested too deep, or needs a password.
BROKEN = (zipfile.BadZipFile, OSError, EOFError, NotImplementedError, RuntimeError, ParseError, DefusedXmlException)
OF_LINKS = "{http://schemas.openxmlformats.org/officeDocument/2006/relationships}"
"""Of an attribute that refers to another part (ECMA-376, part 2)."""
_PACKAGE = "{http://schemas.openxmlformats.org/package/2006/relationships}"


def parts_of(archive: zipfile.ZipFile, wanted: Iterable[str]) -> dict[str, Element]:
    """The XML parts of an archive that are there, parsed; together never more than `LARGEST_DOCUMENT`.

    Raises:
        ScriptRefused: when they unpack to more.
    """
    too_large = "This document unpacks to far more than a script can be. It was not opened."
    names = {info.filename: info for info in archive.infolist()}
    there = [name for name in wanted if name in names]
    if sum(names[name].file_size for name in there) > LARGEST_DOCUMENT:
        raise ScriptRefused(too_large)
    parts: dict[str, Element] = {}
    left = LARGEST_DOCUMENT
    for name in there:
        with archive.open(name) as part:
            # The size in the directory may lie: no more than the limit is ever unpacked.
            raw = part.read(left + 1)
        left -= len(raw)
        if left < 0:
            raise ScriptRefused(too_large)
        parts[name] = fromstring(_STRICT.sub(rb"http://schemas.openxmlformats.org/\1/2006/", raw))
    return parts


_STRICT = re.compile(rb"http://purl\.oclc\.org/ooxml/(\w{1,20})/")
"""How a strict document calls what others call otherwise (ISO/IEC 29500-1)."""


def links_of(path: str) -> str:
    """The part of an archive that says what another one refers to."""
    folder, name = posixpath.split(path)
    return f"{folder}/_rels/{name}.rels"


def linked(parts: Mapping[str, Element], path: str) -> dict[str, str]:
    """What a part refers to: paths by identity."""
    links, folder = parts.get(links_of(path)), posixpath.dirname(path)
    return {
        each.get("Id", ""): posixpath.normpath(posixpath.join("/", folder, each.get("Target", ""))).lstrip("/")
        for each in (links.iter(f"{_PACKAGE}Relationship") if links is not None else ())
        if each.get("TargetMode") != "External"
    }
