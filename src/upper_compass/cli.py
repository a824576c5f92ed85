"""The commands behind `./compass`."""

from __future__ import annotations

import argparse
import json
import sys
from pathlib import Path

from upper_compass.run.places import CannotRunError, say


def main(arguments: list[str] | None = None) -> int:
    """Run one command; the exit status."""
    parser = argparse.ArgumentParser(prog="./compass", description="Upper Compass: which channels and pages drive conversions.")
    commands = parser.add_subparsers(dest="command", required=True)
    commands.add_parser("demo", help="start with the demo data of Fennmoor Mill, and print the address and the sign-in")
    start = commands.add_parser("start", help="start an installation of your own, empty at first")
    start.add_argument("--email", default="owner@localhost", help="address of the first user, made when there is none")
    commands.add_parser("stop", help="stop what runs in this checkout, PostgreSQL included")
    commands.add_parser("status", help="say what runs in this checkout")
    keep = commands.add_parser("backup", help="write the whole installation into one file, while it runs")
    keep.add_argument("file", type=Path)
    keep.add_argument("--instance", choices=("main", "demo"), default="main")
    back = commands.add_parser("restore", help="make an installation of such a file, where there is none")
    back.add_argument("file", type=Path)
    commands.add_parser("settings", help="say which settings hold, and where each comes from")
    test = commands.add_parser("test", help="run every check and test; more arguments go to pytest")
    test.add_argument("rest", nargs=argparse.REMAINDER)
    bench = commands.add_parser("bench", help="measure: ./compass bench [asking|collect|comparing|importing|page|planted|reports|tagging|together|views]")
    bench.add_argument("rest", nargs=argparse.REMAINDER)
    load = commands.add_parser("import", help="import hits from JSON Lines, or from a server log (NCSA common or combined, W3C extended), plain or gzipped")
    load.add_argument("file", type=Path)
    load.add_argument("--site", required=True, metavar="KEY")
    token = commands.add_parser("token", help="make an API token for a user; it is shown once")
    token.add_argument("--email", default=None, help="whose token; without it, that of the only user")
    token.add_argument("--name", default="made by ./compass token")
    token.add_argument("--scope", choices=("read", "write", "import"), default="write", help="what it may do: read, all that its user may, or bring files in")
    token.add_argument("--days", type=int, default=None, help="after how many days it ends; without, never")
    for command in (load, token):
        command.add_argument("--instance", choices=("main", "demo"), default=None, help="which database; without it, the one that runs")
    serve = commands.add_parser("serve")
    serve.add_argument("instance")
    serve.add_argument("port", type=int)
    given = parser.parse_args(arguments)
    try:
        return _run(given)
    except CannotRunError as why:
        say(str(why))
        return 1
    except KeyboardInterrupt:
        say("Stopped. Nothing is lost; run the command again to go on.")
        return 130


def _run(given: argparse.Namespace) -> int:
    from upper_compass.run import checks, instances

    match given.command:
        case "demo":
            instances.demo()
        case "start":
            instances.start(given.email)
        case "stop":
            instances.stop()
        case "status":
            print(json.dumps(instances.status(), indent=2))
        case "backup":
            instances.backup(given.file, given.instance)
        case "restore":
            instances.restore(given.file)
        case "settings":
            print(instances.told_settings())
        case "test":
            return checks.test(given.rest)
        case "bench":
            return checks.bench(given.rest)
        case "import":
            return instances.import_file(given.file, given.site, given.instance)
        case "token":
            print(instances.token(given.email, given.name, given.scope, given.days, given.instance))
        case "serve":
            instances.serve(given.instance, given.port)
    return 0


if __name__ == "__main__":
    sys.exit(main())
