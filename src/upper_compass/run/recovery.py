"""For whoever runs the installation: letting in again who lost password or device, and taking over from who left."""

from __future__ import annotations

import secrets
from collections.abc import Sequence

from upper_compass.run.instances import prepared
from upper_compass.run.places import CannotRunError
from upper_compass.store import accounts, people, second_factor, sites


def recover(email: str, owner_of: Sequence[str]) -> str:
    """Give somebody a new password and no second factor, and make them an owner of sites; what is to be told. All or nothing; raises CannotRunError."""
    password = secrets.token_urlsafe(12)
    with prepared("main") as engine, engine.begin() as connection:
        user = accounts.user_by_email(connection, email)
        is_new = user is None
        if user is None:
            user = accounts.add_user(connection, email, email.partition("@")[0][:100] or "Somebody", password)
        else:
            accounts.set_password(connection, user, accounts.hash_of(password), by=None)
            second_factor.end(connection, user, by=None)
        for key in owner_of:
            site = sites.site_by_key(connection, key)
            if site is None:
                raise CannotRunError(f"There is no site with the key {key!r}. Nothing was changed.")
            people.make_owner(connection, site.id, user)
    lines = [
        f"  address   {user.email}",
        f"  password  {password}",
        "",
        "This password is shown once." + ("" if is_new else " All their sessions ended, and no code is asked for."),
    ]
    return "\n".join(lines)
