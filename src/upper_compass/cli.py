"""The commands behind `./compass`. What each needs is imported when it runs: who stops or looks need not wait for the rest."""

from __future__ import annotations

import argparse
import json
import os
import sys
from argparse import ArgumentParser, Namespace
from collections.abc import Callable
from pathlib import Path

from upper_compass.run.places import CannotRunError, say

Command = Callable[[Namespace], int | None]


def _choose_runner(given: Namespace) -> None:
    """What is said on the command line goes before what is set, here and in all that is started from here."""
    for name in ("runner", "ray_address"):
        if getattr(given, name) is not None:
            os.environ[f"COMPASS_{name.upper()}"] = getattr(given, name)


def _demo(_: Namespace) -> None:
    from upper_compass.run import instances

    instances.demo()


def _start(given: Namespace) -> None:
    _choose_runner(given)
    from upper_compass.run import instances

    instances.start(given.email)


def _build(_: Namespace) -> None:
    from upper_compass.run import build

    build.build()


def _stop(_: Namespace) -> None:
    from upper_compass.run import instances

    instances.stop()


def _status(_: Namespace) -> None:
    from upper_compass.run import instances

    print(json.dumps(instances.status(), indent=2))


def _backup(given: Namespace) -> None:
    from upper_compass.run import operating

    operating.backup(given.file, given.instance)


def _restore(given: Namespace) -> None:
    from upper_compass.run import operating

    operating.restore(given.file)


def _doctor(_: Namespace) -> int:
    from upper_compass.run import doctor

    return doctor.told("main")


def _recover(given: Namespace) -> None:
    from upper_compass.run import operating

    print(operating.recover(given.email, given.owner_of))


def _settings(_: Namespace) -> None:
    from upper_compass.run import operating

    print(operating.told_settings())


def _import(given: Namespace) -> int:
    from upper_compass.run import operating

    return operating.import_file(given.file, given.site, given.instance)


def _token(given: Namespace) -> None:
    from upper_compass.run import operating

    print(operating.token(given.email, given.name, given.scope, given.days, given.instance))


def _test(given: Namespace) -> int:
    from upper_compass.run import checks

    return checks.test(given.rest)


def _bench(given: Namespace) -> int:
    from upper_compass.run import checks

    return checks.bench(given.rest)


def _check(_: Namespace) -> int:
    from upper_compass.run import checks

    return checks.check()


def _fix(_: Namespace) -> int:
    from upper_compass.run import checks

    return checks.fix()


def _dev(given: Namespace) -> int:
    from upper_compass.run import developing

    return developing.dev(given.instance)


def _serve(given: Namespace) -> None:
    from upper_compass.run import instances

    instances.serve(given.instance, given.port, given.collector)


def _supervise(given: Namespace) -> int:
    from upper_compass.run import supervising

    if not given.own_postgres:
        return supervising.supervise(given.parts)
    from upper_compass.run.cluster import mend_cluster

    return supervising.supervise(given.parts, mend=mend_cluster)


def _run(given: Namespace) -> int:
    _choose_runner(given)
    from upper_compass.run import instances

    return instances.stay(given.email)


def _parser() -> ArgumentParser:
    parser = ArgumentParser(prog="./compass", description="Upper Compass: which channels and pages drive conversions.")
    commands = parser.add_subparsers(dest="command", required=True)

    def add(name: str, do: Command, about: str | None = None) -> ArgumentParser:
        made = commands.add_parser(name, help=about) if about else commands.add_parser(name)
        made.set_defaults(do=do)
        return made

    add("demo", _demo, "start with the demo data of Fennmoor Mill, and print the address and the sign-in")
    start = add("start", _start, "start an installation of your own, empty at first")
    stay = add("run", _run, "the same in the foreground, for whoever starts and watches processes, such as systemd")
    for command in (start, stay):
        command.add_argument("--email", default="owner@localhost", help="address of the first user, made when there is none")
    build = add("build", _build, "install and build what is missing, and start nothing")
    for command in (start, stay, build):
        command.add_argument("--runner", choices=("here", "ray"), default=None, help="who makes the tallies of reports; ray: on one machine or many")
    for command in (start, stay):
        command.add_argument("--ray-address", default=None, help="a cluster of Ray; without one, Ray is started here")
    add("stop", _stop, "stop what runs in this checkout, PostgreSQL included")
    add("status", _status, "say what runs in this checkout")
    keep = add("backup", _backup, "write the whole installation into one file, while it runs")
    keep.add_argument("file", type=Path)
    keep.add_argument("--instance", choices=("main", "demo"), default="main")
    add("restore", _restore, "make an installation of such a file, where there is none").add_argument("file", type=Path)
    add("doctor", _doctor, "say what is wrong with the installation, and how to mend it")
    lost = add("recover", _recover, "let somebody in who lost password or device, or takes over: a new password, which is shown once")
    lost.add_argument("--email", required=True, help="who; the account is made where there is none")
    lost.add_argument("--owner-of", action="append", default=[], metavar="KEY", help="also make them an owner of this site; may be given again")
    add("settings", _settings, "say which settings hold, and where each comes from")
    load = add("import", _import, "import hits from JSON Lines, or from a server log (NCSA common or combined, W3C extended), plain or gzipped")
    load.add_argument("file", type=Path)
    load.add_argument("--site", required=True, metavar="KEY")
    token = add("token", _token, "make an API token for a user; it is shown once")
    token.add_argument("--email", default=None, help="whose token; without it, that of the only user")
    token.add_argument("--name", default="made by ./compass token")
    token.add_argument("--scope", choices=("read", "write", "import"), default="write", help="what it may do: read, all that its user may, or bring files in")
    token.add_argument("--days", type=int, default=None, help="after how many days it ends; without, never")
    for command in (load, token):
        command.add_argument("--instance", choices=("main", "demo"), default=None, help="which database; without it, the one that runs")
    develop = add("dev", _dev, "work on it: API, script and screens with reload, all through one address")
    develop.add_argument("--instance", choices=("main", "demo"), default="demo", help="whose data")
    add("check", _check, "run every check but the tests: format, lint, types, layers, generated files")
    add("fix", _fix, "mend what can be mended by itself: format, lint, generated files, the picture of the rooms")
    rest = {"nargs": argparse.REMAINDER}
    add("test", _test, "run every check and test; more arguments go to pytest").add_argument("rest", **rest)  # type: ignore[arg-type]
    add("bench", _bench, "measure; without names, everything that bench/ holds").add_argument("rest", **rest)  # type: ignore[arg-type]
    serve = add("serve", _serve)
    serve.add_argument("instance")
    serve.add_argument("port", type=int)
    serve.add_argument("--collector", type=int, default=None)
    supervise = add("supervise", _supervise)
    supervise.add_argument("parts", nargs="+")
    supervise.add_argument("--own-postgres", action="store_true")
    return parser


def main(arguments: list[str] | None = None) -> int:
    """Run one command; the exit status."""
    given = _parser().parse_args(arguments)
    try:
        return given.do(given) or 0
    except CannotRunError as why:
        say(str(why))
        return 1
    except KeyboardInterrupt:
        say("Stopped. Nothing is lost; run the command again to go on.")
        return 130


if __name__ == "__main__":
    sys.exit(main())
