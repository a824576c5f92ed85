"""Definitions that are saved with a site under names: segments, funnels. Each kind has a table of its own, and the same ways."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager
from dataclasses import dataclass
from datetime import datetime
from typing import Any, Generic, TypeVar

import sqlalchemy as sa

from upper_compass.store.change_log import log_change
from upper_compass.store.tables import users

Model = TypeVar("Model")


@dataclass(frozen=True)
class Stored(Generic[Model]):
    """What is saved, with who made it and when. `by` is None when they are gone."""

    id: int
    saved: Model
    by: str | None
    at: datetime
    archived: bool


class FullError(ValueError):
    """The site has as many of the kind as it may."""


class TakenError(ValueError):
    """Another of the kind, that is not archived, has this name."""


class Saved(Generic[Model]):
    """All that are saved of one kind. `what`: as the log of changes names it; `columns`: how one stands in its table; `model`: what a row says."""

    def __init__(self, table: sa.Table, what: str, most: int, columns: Callable[[Model], dict[str, Any]], model: Callable[[sa.Row[Any]], Model]) -> None:
        self._table, self._what, self._most, self._columns, self._model = table, what, most, columns, model

    def all_of(self, connection: sa.Connection, site_id: int) -> Sequence[Stored[Model]]:
        """All of a site, archived ones too, by name."""
        of, table = self._table.c.site_id == site_id, self._table.c
        rows = connection.execute(self._whole().where(of).order_by(sa.func.lower(table.name), table.id))
        return [self._stored(row) for row in rows]

    def one_of(self, connection: sa.Connection, site_id: int, number: int) -> Stored[Model] | None:
        """One, archived or not."""
        row = connection.execute(self._whole().where(self._table.c.site_id == site_id, self._table.c.id == number)).one_or_none()
        return self._stored(row) if row else None

    def add(self, connection: sa.Connection, site_id: int, saved: Model, user_id: int) -> Stored[Model]:
        """Save one. Raises FullError, TakenError."""
        count = connection.execute(sa.select(sa.func.count()).select_from(self._table).where(self._table.c.site_id == site_id)).scalar_one()
        if count >= self._most:
            raise FullError
        with _unless_taken():
            values = {"site_id": site_id, "created_by": user_id, **self._columns(saved)}
            made = connection.execute(self._table.insert().values(values).returning(self._table.c.id)).scalar_one()
        log_change(connection, site_id, self._what, made, user_id, None, self._columns(saved))
        return self._there(connection, site_id, made)

    def change(self, connection: sa.Connection, site_id: int, stored: Stored[Model], saved: Model, user_id: int) -> Stored[Model]:
        """Make of one another, wherever it is used. Raises TakenError."""
        with _unless_taken():
            connection.execute(self._table.update().where(self._table.c.id == stored.id).values(self._columns(saved)))
        log_change(connection, site_id, self._what, stored.id, user_id, self._columns(stored.saved), self._columns(saved))
        return self._there(connection, site_id, stored.id)

    def archive(self, connection: sa.Connection, site_id: int, stored: Stored[Model], user_id: int, *, archived: bool) -> Stored[Model]:
        """Put one into the archive, or take it out. Raises TakenError when another has its name by now."""
        with _unless_taken():
            connection.execute(self._table.update().where(self._table.c.id == stored.id).values(archived_at=sa.func.now() if archived else None))
        log_change(connection, site_id, self._what, stored.id, user_id, {"archived": not archived}, {"archived": archived})
        return self._there(connection, site_id, stored.id)

    def _there(self, connection: sa.Connection, site_id: int, number: int) -> Stored[Model]:
        found = self.one_of(connection, site_id, number)
        if found is None:  # it was there a moment ago, in the same transaction
            raise LookupError(number)
        return found

    def _whole(self) -> sa.Select[Any]:
        return sa.select(self._table, users.c.name.label("by")).outerjoin(users, users.c.id == self._table.c.created_by)

    def _stored(self, row: sa.Row[Any]) -> Stored[Model]:
        return Stored(row.id, self._model(row), row.by, row.created_at, row.archived_at is not None)


@contextmanager
def _unless_taken() -> Iterator[None]:
    """The index of names knows, also when two are saved at once."""
    try:
        yield
    except sa.exc.IntegrityError as error:
        raise TakenError from error
