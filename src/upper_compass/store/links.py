"""Campaign links that were made, and the site's vocabulary."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime

import sqlalchemy as sa

from upper_compass.core.tagging.link_builder import LinkDraft, Word
from upper_compass.store.change_log import log_change
from upper_compass.store.tables import links, sites, users


@dataclass(frozen=True)
class StoredLink:
    """A link in the library. `by` is None when they are gone."""

    id: int
    draft: LinkDraft
    url: str
    note: str
    by: str | None
    made: datetime
    archived: bool


def links_of(connection: sa.Connection, site_id: int) -> list[StoredLink]:
    """All links of a site, the newest first."""
    return _stored(connection, links.c.site_id == site_id)


def _stored(connection: sa.Connection, which: sa.ColumnElement[bool]) -> list[StoredLink]:
    query = sa.select(links, users.c.name).outerjoin(users, users.c.id == links.c.created_by).where(which)
    return [
        StoredLink(row.id, LinkDraft.model_validate(row.draft), row.url, row.note, row.name, row.created_at, row.archived_at is not None)
        for row in connection.execute(query.order_by(links.c.created_at.desc(), links.c.id.desc()))
    ]


@dataclass(frozen=True)
class NewLink:
    """A finished link that shall be kept: what it was built of, and what it is for."""

    draft: LinkDraft
    url: str
    note: str


def add_links(connection: sa.Connection, site_id: int, made: Sequence[NewLink], user_id: int, at: datetime | None = None) -> list[int]:
    """Keep finished links, made `at` or now; their ids in the same order."""
    when = sa.func.now() if at is None else at
    rows = [{"site_id": site_id, "draft": one.draft.model_dump(), "url": one.url, "note": one.note, "created_by": user_id} for one in made]
    ids = list(connection.execute(links.insert().values(created_at=when).returning(links.c.id, sort_by_parameter_order=True), rows).scalars())
    for number, row in zip(ids, rows, strict=True):
        log_change(connection, site_id, "link", number, user_id, None, {"draft": row["draft"], "url": row["url"], "note": row["note"]})
    return ids


def registered_links(connection: sa.Connection, site_id: int, urls: Sequence[str]) -> list[StoredLink]:
    """Those of the links that are in the library, archived or not."""
    return _stored(connection, (links.c.site_id == site_id) & links.c.url.in_(urls))


def rebuild_link(connection: sa.Connection, site_id: int, link_id: int, draft: LinkDraft, url: str, user_id: int) -> bool:
    """Build a link of the library anew: it keeps its note and the day it was made; whether there is such a link."""
    mine = (links.c.site_id == site_id) & (links.c.id == link_id)
    before = connection.execute(sa.select(links.c.draft, links.c.url).where(mine).with_for_update()).one_or_none()
    if before is None:
        return False
    after = {"draft": draft.model_dump(), "url": url}
    connection.execute(links.update().where(mine).values(**after))
    log_change(connection, site_id, "link", link_id, user_id, {"draft": before.draft, "url": before.url}, after)
    return True


def change_link(connection: sa.Connection, site_id: int, link_id: int, note: str, *, archived: bool, user_id: int) -> bool:
    """Give a link another note, archive it or bring it back; whether there is such a link."""
    mine = (links.c.site_id == site_id) & (links.c.id == link_id)
    before = connection.execute(sa.select(links.c.note, links.c.archived_at).where(mine).with_for_update()).one_or_none()
    if before is None:
        return False
    connection.execute(links.update().where(mine).values(note=note, archived_at=sa.func.coalesce(links.c.archived_at, sa.func.now()) if archived else None))
    was = {"note": before.note, "archived": before.archived_at is not None}
    log_change(connection, site_id, "link", link_id, user_id, was, {"note": note, "archived": archived})
    return True


def vocabulary_of(connection: sa.Connection, site_id: int) -> list[Word]:
    """The words that the site's owner allows."""
    stored = connection.execute(sa.select(sites.c.vocabulary).where(sites.c.id == site_id)).scalar_one()
    return [Word.model_validate(word) for word in stored]


def keep_vocabulary(connection: sa.Connection, site_id: int, words: Sequence[Word], user_id: int) -> None:
    """Replace the vocabulary."""
    before = connection.execute(sa.select(sites.c.vocabulary).where(sites.c.id == site_id).with_for_update()).scalar_one()
    after = [word.model_dump() for word in words]
    connection.execute(sites.update().where(sites.c.id == site_id).values(vocabulary=after))
    log_change(connection, site_id, "vocabulary", site_id, user_id, {"words": before}, {"words": after})
