"""How a server log is read: what in it is a page, what is a download, and what only belongs to a page (rules, decisions)."""

from __future__ import annotations

from typing import Annotated

from pydantic import BaseModel, ConfigDict, StringConstraints

Ending = Annotated[str, StringConstraints(pattern=r"^[a-z0-9]{1,12}$")]

PAGES = ("html", "htm", "xhtml", "shtml", "php", "asp", "aspx", "jsp", "do", "cgi", "pl", "cfm")
DOWNLOADS = (
    "pdf", "epub", "zip", "gz", "tgz", "bz2", "xz", "7z", "rar", "tar", "doc", "docx", "xls", "xlsx", "ppt", "pptx", "odt", "ods", "odp", "csv", "mp3", "m4a",
    "mp4", "mov", "avi", "mkv", "exe", "msi", "dmg", "pkg", "deb", "rpm", "apk", "iso",
)  # fmt: skip
FEEDS = ("feed", "rss", "atom")


class LogReading(BaseModel):
    """What counts. A path whose last part has no ending is a page, unless that part is one of `feeds`; any other ending belongs to a page.

    `host`: of addresses where the log names none. `not_modified`: whether a page that the browser still had (status 304) was seen.
    """

    model_config = ConfigDict(extra="forbid", frozen=True)
    host: Annotated[str, StringConstraints(min_length=1, max_length=253, pattern=r"^[a-z0-9.:\[\]-]+$")]
    pages: tuple[Ending, ...] = PAGES
    downloads: tuple[Ending, ...] = DOWNLOADS
    feeds: tuple[Annotated[str, StringConstraints(pattern=r"^[a-z0-9._-]{1,40}$")], ...] = FEEDS
    not_modified: bool = True
