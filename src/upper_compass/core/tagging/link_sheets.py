"""Links as lines of a sheet: judged by the builder that the form has, a line may make several, and what is wrong stands beside its line."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from typing import Annotated

from pydantic import BaseModel, ValidationError

from upper_compass.core.definitions.site_rules import SiteRules
from upper_compass.core.definitions.text_tests import storable
from upper_compass.core.definitions.validation_messages import sentence
from upper_compass.core.tagging.link_builder import Builder, BuiltLink, LinkDraft

COLUMNS = ("address", "source", "medium", "campaign", "content", "term", "label", "note")
FINISHED = ("link", "channel", "wrong", "to mind")
# What people call these columns; what a finished sheet says of itself is passed over, so that it can be read again.
HEADS: dict[str, str | None] = {
    **{name: name for name in COLUMNS},
    **{f"utm_{name}": name for name in COLUMNS[1:6]},
    **dict.fromkeys(("url", "page", "landing page", "website"), "address"),
    **dict.fromkeys(("notes", "comment"), "note"),
    **dict.fromkeys(("via", "link label"), "label"),
    **dict.fromkeys(FINISHED),
}
Note = Annotated[str, storable(500)]


class NotedDraft(LinkDraft):
    """A draft, and what its links are for."""

    note: Note = ""


class SheetLine(BaseModel):
    """A line of a sheet, counted from 1: what stands in it, or what is wrong with its cells, which then make no link."""

    line: int
    draft: NotedDraft | None = None
    wrong: str | None = None


def lines_of(rows: Iterable[tuple[int, Mapping[str, str]]]) -> list[SheetLine]:
    """Rows of a sheet, as (number of the line, cells by column), that are not judged yet."""
    lines = []
    for line, cells in rows:
        try:
            lines.append(SheetLine(line=line, draft=NotedDraft.model_validate(cells)))
        except ValidationError as error:
            first = error.errors(include_url=False, include_input=False)[0]
            lines.append(SheetLine(line=line, wrong=f"{first['loc'][0]}: {sentence(first)}"))
    return lines


def judge_lines(lines: Sequence[SheetLine], builder: Builder, most: int) -> list[BuiltLink]:
    """The links that the lines make, at most so many, in order; `place` is that of the line."""
    whole = [(place, line.draft) for place, line in enumerate(lines) if line.draft]
    built = builder.build_all([draft for _, draft in whole], most)
    return [link.model_copy(update={"place": whole[link.place][0]}) for link in built]


def finished_rows(lines: Sequence[SheetLine], links: Sequence[BuiltLink]) -> list[list[object]]:
    """Cells under COLUMNS and FINISHED, a row for each link; lines that make none stand last."""
    rows: list[list[object]] = []
    for one in links:
        note = lines[one.place].draft
        cells = [getattr(one.draft, name) for name in COLUMNS[:-1]]
        rows.append([*cells, note.note if note else "", one.url, one.channel, _remarks(one, errors=True), _remarks(one, errors=False)])
    return rows + [[*("" for _ in COLUMNS), "", "", f"line {line.line}: {line.wrong}", ""] for line in lines if line.wrong]


def template_rows(rules: SiteRules) -> list[list[str]]:
    """Two lines under COLUMNS that show what goes where."""
    home = f"https://{rules.hosts[0]}/"
    return [[home, "letter", "email", "spring", "top, foot", "", "", "What the link is for"], [home, "", "", "", "", "", "card", "Only a link label"]]


def _remarks(built: BuiltLink, *, errors: bool) -> str:
    return "; ".join(f"{one.field}: {one.text}" for one in built.remarks if one.is_error is errors)
