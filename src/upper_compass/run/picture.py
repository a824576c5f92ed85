"""The picture of the rooms, drawn from what the code itself imports: `docs/rooms.svg`. CI draws it again and holds the two against each other."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from html import escape
from pathlib import Path

from upper_compass.run.places import ROOT, CannotRunError

PICTURE = ROOT / "docs" / "rooms.svg"
# (from, to): how many files of the one import from the other.
Imports = Mapping[tuple[str, str], int]
WIDE, HIGH, ACROSS, DOWN, LEFT, TOP = 108, 30, 20, 34, 24, 62
# By how many files import, roughly: the picture need not be drawn anew for each file.
THICKNESS = ((5, "a few", 0.75), (20, "some", 1.75), (10**9, "many", 3.5))
_FROM_ROOM = re.compile(r'(?:from|import)\s*\(?\s*"@/([a-z]+)/')


@dataclass(frozen=True)
class Rooms:
    """Rooms of one building: their files and lines, and who imports whom."""

    title: str
    lines: Mapping[str, int]
    imports: Imports


def _python_rooms(title: str, package: str) -> Rooms:
    """The packages, or single modules, right below a package."""
    import grimp

    graph = grimp.build_graph("upper_compass", cache_dir=None)
    depth = package.count(".") + 1
    found: Counter[tuple[str, str]] = Counter()
    for module in sorted(graph.modules):
        mine = module.split(".")[depth] if module.startswith(package + ".") else None
        theirs = {one.split(".")[depth] for one in graph.find_modules_directly_imported_by(module) if one.startswith(package + ".")} - {mine}
        found.update((mine, one) for one in theirs if mine)
    folder = ROOT / "src" / Path(*package.split("."))
    lines = {one.stem: _lines(one.rglob("*.py") if one.is_dir() else [one]) for one in folder.iterdir() if one.is_dir() or one.suffix == ".py"}
    return Rooms(title, {name: count for name, count in lines.items() if count and not name.startswith("__")}, found)


def _screen_rooms(title: str) -> Rooms:
    """The folders of the front end."""
    folder = ROOT / "web" / "src"
    files = {room.name: sorted([*room.rglob("*.ts"), *room.rglob("*.tsx")]) for room in folder.iterdir() if room.is_dir()}
    found = Counter((room, other) for room, held in files.items() for file in held for other in set(_FROM_ROOM.findall(file.read_text())) - {room})
    return Rooms(title, {room: _lines(held) for room, held in files.items() if held and room != "generated"}, found)


def _lines(files: Iterable[Path]) -> int:
    return sum(file.read_text().count("\n") for file in files)


def floors(rooms: Rooms) -> list[list[str]]:
    """The rooms by floors, the highest first: each stands on what it imports. Raises CannotRunError where rooms import each other in a circle."""
    below = {room: {to for came, to in rooms.imports if came == room and to in rooms.lines} for room in rooms.lines}
    floor: dict[str, int] = {}
    while len(floor) < len(below):
        next_ = {room: 1 + max((floor[one] for one in under), default=-1) for room, under in below.items() if room not in floor and under <= set(floor)}
        if not next_:
            raise CannotRunError(f"These rooms import each other in a circle: {', '.join(sorted(set(below) - set(floor)))}.")
        floor |= next_
    return [sorted(room for room, at in floor.items() if at == level) for level in range(max(floor.values(), default=0), -1, -1)]


def needed(rooms: Rooms) -> Imports:
    """The imports that no way through other rooms says already."""
    direct = {(came, to): count for (came, to), count in rooms.imports.items() if came in rooms.lines and to in rooms.lines}
    reach: dict[str, set[str]] = {}
    for level in reversed(floors(rooms)):
        for room in level:
            under = {to for came, to in direct if came == room}
            reach[room] = under.union(*(reach[one] for one in under))
    return {
        (came, to): count
        for (came, to), count in sorted(direct.items())
        if not any(to in reach[other] for (start, other) in direct if start == came and other != to)
    }


def _drawn(rooms: Rooms, left: int) -> tuple[list[str], int, int]:
    """(the parts of a picture, its width, its height) of one building."""
    levels = floors(rooms)
    wide = max(len(level) for level in levels) * (WIDE + ACROSS) - ACROSS
    at: dict[str, tuple[float, int]] = {}
    for row, level in enumerate(levels):
        indent = left + (wide - len(level) * (WIDE + ACROSS) + ACROSS) / 2
        at |= {room: (indent + place * (WIDE + ACROSS), TOP + row * (HIGH + DOWN)) for place, room in enumerate(level)}
    parts = [f'<text class="title" x="{left}" y="36">{escape(rooms.title)}</text>']
    for (came, to), count in needed(rooms).items():
        (x, y), (to_x, to_y) = at[came], at[to]
        few, thick = next((words, thick) for most, words, thick in THICKNESS if count < most)
        bend = (to_y - y - HIGH) / 2
        way = f"M{x + WIDE / 2:.0f} {y + HIGH}c0 {bend:.0f} {to_x - x:.0f} {bend:.0f} {to_x - x:.0f} {to_y - y - HIGH}"
        parts.append(f'<path class="way" d="{way}" stroke-width="{thick}"><title>{came} → {to}: {few} files</title></path>')
    for room, (x, y) in at.items():
        parts.append(f'<rect class="room" x="{x:.0f}" y="{y}" width="{WIDE}" height="{HIGH}" rx="3"/>')
        parts.append(f'<text class="name" x="{x + WIDE / 2:.0f}" y="{y + 14}">{escape(room)}</text>')
        parts.append(f'<text class="size" x="{x + WIDE / 2:.0f}" y="{y + 25}">{_about(rooms.lines[room])}</text>')
    return parts, wide, TOP + len(levels) * (HIGH + DOWN)


def _about(lines: int) -> str:
    """So many lines, roughly."""
    if lines < 1000:
        return "under 1,000 lines"
    return f"about {round(lines, -3):,} lines"


STYLE = """
svg { background: #fdfbf5; font-family: ui-sans-serif, sans-serif; }
.title { font-size: 15px; font-weight: 600; fill: #14263a; }
.room { fill: #fff; stroke: #14263a; }
.name { font-size: 12px; text-anchor: middle; fill: #14263a; }
.size { font-size: 9px; text-anchor: middle; fill: #55636f; }
.way { fill: none; stroke: #1f7a7a; opacity: .75; }
@media (prefers-color-scheme: dark) {
  svg { background: #0f1d2a; } .title, .name { fill: #f2ecdd; } .room { fill: #16293a; stroke: #8aa0b0; } .size { fill: #a9b7c2; } .way { stroke: #66c2c2; }
}
"""


def text() -> str:
    """The picture, in SVG: the application, its core, the screens. Raises CannotRunError where rooms import each other in a circle."""
    left, parts, high = LEFT, [], 0
    for rooms in (_python_rooms("The application", "upper_compass"), _python_rooms("Its core", "upper_compass.core"), _screen_rooms("The screens")):
        drawn, wide, height = _drawn(rooms, left)
        parts += drawn
        left, high = left + wide + 3 * ACROSS, max(high, height)
    wide = left - 3 * ACROSS + LEFT
    about = "The rooms of the code. Each imports from those below it that a line leads to, and from what these stand on; a thick line: many files do."
    head = f'<svg xmlns="http://www.w3.org/2000/svg" width="{wide}" height="{high}" viewBox="0 0 {wide} {high}" role="img" aria-label="{about}">'
    return "\n".join([head, f"<style>{STYLE}</style>", *parts, "</svg>", ""])


if __name__ == "__main__":
    PICTURE.write_text(text())
