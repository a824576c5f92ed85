"""What whoever runs an installation does to it: keeping it, bringing files in, tokens, letting in who lost their way in."""

from __future__ import annotations

import os
import secrets
from collections.abc import Sequence
from pathlib import Path

import sqlalchemy as sa

from upper_compass.run.cluster import start_cluster
from upper_compass.run.instances import INSTANCES, database, database_url, installed, prepared, running, storage_of
from upper_compass.run.places import CannotRunError, say, step
from upper_compass.settings import Clock, UnfitSettingsError, held, settings_file
from upper_compass.store import accounts, people, second_factor, sites, tokens
from upper_compass.store.tokens import Scope


def _named(file: Path) -> Path:
    """A file, named from the folder that the command was called in."""
    return Path(os.environ.get("COMPASS_CALLED_FROM", ".")) / file


def backup(file: Path, instance: str | None) -> None:
    """Write a backup of an instance, while it runs or not. Raises CannotRunError."""
    from upper_compass.run import safekeeping  # whoever stops or looks need not wait for it

    made = safekeeping.backup(database_url(instance or "main"), _named(file), storage_of(instance or "main"))
    say(f"{file} holds {made.rows['sites']:,} sites and {made.hits:,} hits. It holds secrets too: keep it where only you can read it.")


def restore(file: Path) -> None:
    """Make an installation of a backup where there is none yet. Raises CannotRunError; what was there is as it was then."""
    from upper_compass.run import safekeeping

    named = _named(file)
    if running("main"):
        raise CannotRunError("The application runs; ./compass stop ends it, then try again.")
    kept = safekeeping.about(named)[3]
    if kept is not None and not settings_file().exists():
        settings_file().write_bytes(kept)
        say(f"{settings_file()} was not there and is restored too.")
    url = installed("main").database_url
    if url:
        safekeeping.restore(url, named, storage_of("main"))
        return
    cluster, name = start_cluster(), database("main")
    if cluster.has_database(name) and not safekeeping.is_empty(cluster.url(name)):
        raise CannotRunError("There is an installation here already; a backup goes where there is none. Move the data folder away, or set another one (data).")
    # Under another name until it is whole, so that what breaks off leaves nothing behind.
    making = f"{name}_restored"
    cluster.drop_database(making)
    cluster.ensure_database(making)
    try:
        safekeeping.restore(cluster.url(making), named, storage_of("main"))
    except CannotRunError:
        cluster.drop_database(making)
        raise
    cluster.drop_database(name)
    cluster.rename_database(making, name)


def told_settings() -> str:
    """Which settings hold, where each comes from, and what it is. Raises CannotRunError with what is wrong."""
    try:
        found = held()
    except UnfitSettingsError as why:
        raise CannotRunError(str(why)) from why
    wide = max(len(one.name) for one in found)
    lines = [f"{one.name:{wide}}  {one.value or '-'}  ({one.source})\n{'':{wide}}  {one.meaning}" for one in found]
    return "\n".join([f"Settings are read from the environment (COMPASS_ and the name in capitals), then from {settings_file()}.", "", *lines])


def _chosen(instance: str | None) -> str:
    if instance:
        return instance
    up = [name for name in INSTANCES if running(name)]
    if len(up) == 1:
        return up[0]
    raise CannotRunError(
        "Say which one with --instance main or --instance demo." if up else "Nothing runs; say which one with --instance main or --instance demo."
    )


def import_file(file: Path, site_key: str, instance: str | None) -> int:
    """Import hits from a file, named from the folder that the command was called in; the exit status.

    Raises CannotRunError when the file, the site or the application is not there.
    """
    from upper_compass.collect.importing import into_site
    from upper_compass.services import imports

    file = _named(file)
    if not file.is_file():
        raise CannotRunError(f"There is no file {file}.")
    chosen = _chosen(instance)
    with prepared(chosen) as engine:
        with engine.connect() as connection:
            site = sites.site_by_key(connection, site_key)
        if site is None:
            raise CannotRunError(f"There is no site with the key {site_key!r}.")
        with file.open("rb") as opened, step(f"Importing {file.name}"):
            given = imports.GivenFile(opened, file.name, file.stat().st_size)
            _, report = imports.import_file(engine, given, into_site(site, Clock().now()), None)
    for line, field, text in report.refused[:20]:
        say(f"  line {line}: {field + ': ' if field else ''}{text}")
    say(f"{report.lines:,} lines: {report.stored:,} stored, {report.already_there:,} there already, {report.bad:,} refused.")
    if report.broken_off:
        say(report.broken_off)
    return 1 if report.bad or report.broken_off else 0


def token(email: str | None, name: str, scope: Scope, days: int | None, instance: str | None) -> str:
    """A new API token for all sites of a user. Raises CannotRunError when it is not known whose, or when they have too many."""
    with prepared(_chosen(instance)) as engine, engine.begin() as connection:
        if email is None:
            addresses = connection.execute(sa.text("SELECT email FROM users ORDER BY id LIMIT 2")).scalars().all()
            if len(addresses) != 1:
                raise CannotRunError("Say whose token it is with --email.")
            email = addresses[0]
        user = accounts.user_by_email(connection, email)
        if user is None:
            raise CannotRunError(f"There is no user with the address {email}.")
        try:
            return tokens.add_token(connection, user.id, name, scope, days=days)
        except tokens.TooManyTokensError as error:
            raise CannotRunError(f"{user.email} has {tokens.MAX_TOKENS} tokens; one has to be revoked first.") from error


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
