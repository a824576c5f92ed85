"""What of Worth a look was dismissed at a site."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date, timedelta

import sqlalchemy as sa

from upper_compass.store.tables import dismissed_insights as dismissed

# For periods that end within so many days of the one in which it was dismissed.
AROUND = timedelta(days=28)
MAX_DISMISSED = 5_000


class FullError(ValueError):
    """As much is dismissed as may be."""


def dismissed_around(connection: sa.Connection, site_id: int, last: date) -> Sequence[str]:
    """Keys of what is not told of a period with this last day."""
    near = dismissed.c.last.between(last - AROUND, last + AROUND)
    return list(connection.execute(sa.select(dismissed.c.key).where(dismissed.c.site_id == site_id, near)).scalars())


def dismiss(connection: sa.Connection, site_id: int, key: str, last: date, user_id: int) -> int:
    """Dismiss what has this key, around a day; what it is called from now on. Raises FullError."""
    count = connection.execute(sa.select(sa.func.count()).where(dismissed.c.site_id == site_id)).scalar_one()
    if count >= MAX_DISMISSED:
        raise FullError
    made = connection.execute(dismissed.insert().values(site_id=site_id, key=key, last=last, created_by=user_id).returning(dismissed.c.id))
    return int(made.scalar_one())


def tell_again(connection: sa.Connection, site_id: int, dismissal: int) -> bool:
    """Take a dismissal back; whether there was one."""
    return connection.execute(dismissed.delete().where(dismissed.c.site_id == site_id, dismissed.c.id == dismissal)).rowcount > 0
