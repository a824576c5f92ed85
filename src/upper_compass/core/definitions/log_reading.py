"""How a server log is read: what in it is a page, what is a download, and what only belongs to a page (rules, decisions)."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field, StringConstraints

Ending = Annotated[str, StringConstraints(pattern=r"^[a-z0-9]{1,12}$")]

PAGES = ("html", "htm", "xhtml", "shtml", "php", "asp", "aspx", "jsp", "do", "cgi", "pl", "cfm")
DOWNLOADS = (
    "pdf", "epub", "zip", "gz", "tgz", "bz2", "xz", "7z", "rar", "tar", "doc", "docx", "xls", "xlsx", "ppt", "pptx", "odt", "ods", "odp", "csv", "mp3", "m4a",
    "mp4", "mov", "avi", "mkv", "exe", "msi", "dmg", "pkg", "deb", "rpm", "apk", "iso",
)  # fmt: skip
FEEDS = ("feed", "rss", "atom")
# What a field of a W3C log can be.
LogField = Literal["address", "method", "stem", "query", "status", "agent", "referrer", "host", "date", "time", "nothing"]
FieldName = Annotated[str, StringConstraints(pattern=r"^[a-z0-9()_.-]{1,60}$")]
MAX_WORDS, MAX_FIELDS = 100, 60


class LogReading(BaseModel):
    """What counts. A path whose last part has no ending is a page, unless that part is one of `feeds`; any other ending belongs to a page.

    `host`: of addresses where the log names none. `not_modified`: whether a page that the browser still had (status 304) was seen. `first_word`: what a
    line of an NCSA log begins with: the visitor's address, or the host of the page and then the address. `fields`: what fields of a W3C log are that are
    not called as usual, in small letters.
    """

    model_config = ConfigDict(extra="forbid", frozen=True)
    host: Annotated[str, StringConstraints(min_length=1, max_length=253, pattern=r"^[a-z0-9.:\[\]-]+$")]
    pages: Annotated[tuple[Ending, ...], Field(max_length=MAX_WORDS)] = PAGES
    downloads: Annotated[tuple[Ending, ...], Field(max_length=MAX_WORDS)] = DOWNLOADS
    feeds: Annotated[tuple[Annotated[str, StringConstraints(pattern=r"^[a-z0-9._-]{1,40}$")], ...], Field(max_length=MAX_WORDS)] = FEEDS
    not_modified: bool = True
    first_word: Literal["address", "host"] = "address"
    fields: Annotated[dict[FieldName, LogField], Field(max_length=MAX_FIELDS)] = {}
