"""The tables, as SQLAlchemy sees them. `migrations/` makes them; a test holds the two against each other."""

from upper_compass.store.tables.common import metadata
from upper_compass.store.tables.hits import followed, handed, hit_ids, hits, imports, record_files, salts
from upper_compass.store.tables.people import SCOPES, api_tokens, identities, known_browsers, recovery_codes, second_factors, sessions, users
from upper_compass.store.tables.site import ROLES, changes, dismissed_insights, funnels, goals, invitations, logbook, roles, segments, sites
from upper_compass.store.tables.tagging import accepted, links, refusals, rule_drafts, rule_trials, rule_versions

__all__ = [
    "ROLES",
    "SCOPES",
    "accepted",
    "api_tokens",
    "changes",
    "dismissed_insights",
    "followed",
    "funnels",
    "goals",
    "handed",
    "hit_ids",
    "hits",
    "identities",
    "imports",
    "invitations",
    "known_browsers",
    "links",
    "logbook",
    "metadata",
    "record_files",
    "recovery_codes",
    "refusals",
    "roles",
    "rule_drafts",
    "rule_trials",
    "rule_versions",
    "salts",
    "second_factors",
    "segments",
    "sessions",
    "sites",
    "users",
]
