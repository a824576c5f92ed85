"""What was stored by earlier versions is read by this one."""

import sqlalchemy as sa
from alembic import command
from alembic.config import Config

from upper_compass.core.definitions.text_tests import STORED
from upper_compass.run.cluster import start_cluster
from upper_compass.store import rules as rules_of
from upper_compass.store import sites
from upper_compass.store.database import MIGRATIONS, connect, migrate

OLD = {
    "page": {"match": {"kind": "page", "test": "starts with", "pattern": "/thanks"}, "counts": "every time", "value": {"kind": "fixed", "amount": 2}},
    "event": {
        "match": {"kind": "event", "name": "book", "props": [{"key": "places", "test": "≥", "value": 2}]},
        "where": [{"field": "plan", "test": "is", "value": "paid"}],
        "counts": "once a visit",
        "value": {"kind": "hit"},
    },
    "order": {"match": {"kind": "order"}, "where": [], "counts": "once a visit", "value": {"kind": "order"}},
}
NEW = {
    "page": {"kind": "view", "page": {"test": "starts with", "value": "/thanks"}},
    "event": {"kind": "event", "names": ["book"], "props": OLD["event"]["match"]["props"], "fields": OLD["event"]["where"]},
    "order": {"kind": "order"},
}

RULE = {"name": "Read", "when": {"kind": "page shown"}, "then": [{"kind": "event", "name": "read"}]}


def test_goals_rules_and_settings_of_an_earlier_version_are_read():
    cluster = start_cluster()
    cluster.drop_database("compass_test_goals")
    cluster.ensure_database("compass_test_goals")
    engine = connect(cluster.url("compass_test_goals"))
    try:
        config = Config()
        config.set_main_option("script_location", str(MIGRATIONS))
        with engine.begin() as connection:
            config.attributes["connection"] = connection
            command.upgrade(config, "0007")
            connection.execute(sa.text("INSERT INTO users (email, name, password_hash) VALUES ('a@mill.example', 'A', 'x')"))
            rules = '{"hosts": ["mill.example"], "own_networks": ["10.0.0.0/8"]}'
            connection.execute(
                sa.text(
                    "INSERT INTO sites (key, name, rules, tagging, secret, created_by) SELECT 'mill', 'Mill', CAST(:rules AS jsonb), '{}', 'x', id FROM users"
                ),
                {"rules": rules},
            )
            goals = sa.table("goals", sa.column("site_id"), sa.column("name"), sa.column("definition", sa.JSON), sa.column("created_by"))
            site, user = connection.execute(sa.text("SELECT sites.id, users.id FROM sites, users")).one()
            connection.execute(goals.insert(), [{"site_id": site, "name": name, "definition": old, "created_by": user} for name, old in OLD.items()])
            tag_rules = sa.table("rule_versions", *map(sa.column, ("site_id", "number", "note")), sa.column("rules", sa.JSON))
            connection.execute(
                tag_rules.insert(), {"site_id": site, "number": 1, "note": "", "rules": [RULE | {"id": "aaaa", "rests": True}, RULE | {"id": "bbbb"}]}
            )
            connection.execute(tag_rules.insert(), {"site_id": site, "number": 2, "note": "", "rules": []})
        migrate(engine)
        with engine.connect() as connection:
            stored = rules_of.versions_of(connection, site, 9)
            assert [[(rule.id, rule.paused) for rule in version.rules] for version in stored] == [[], [("aaaa", True), ("bbbb", False)]]
            assert sites.site_by_key(connection, "mill").rules.internal_networks == ["10.0.0.0/8"]
            found = {goal.name: goal.goal for goal in sites.goals_of(connection, site)}
        assert {name: goal.match.model_dump(exclude_defaults=True) | {"kind": goal.match.kind} for name, goal in found.items()} == NEW
        assert [(found[name].counts, found[name].value.model_dump()) for name in OLD] == [(old["counts"], old["value"]) for old in OLD.values()]
        assert STORED == {"stored": True}
    finally:
        engine.dispose()
        cluster.drop_database("compass_test_goals")
