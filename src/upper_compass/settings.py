"""How an instance of the application is set up: by whoever starts it, and by `COMPASS_…` in the environment."""

from __future__ import annotations

import os
from datetime import UTC, datetime, timedelta
from pathlib import Path

from pydantic import Field
from pydantic_settings import BaseSettings, SettingsConfigDict


class Clock(BaseSettings):
    """What the application takes for now: the machine's clock, moved by so many seconds (`COMPASS_CLOCK_SHIFT`; tests fix their day with it)."""

    model_config = SettingsConfigDict(env_prefix="COMPASS_", frozen=True)
    clock_shift: float = 0.0

    def now(self) -> datetime:
        """The moment, in UTC."""
        return datetime.now(UTC) + timedelta(seconds=self.clock_shift)


class Settings(Clock):
    """`snapshots`: where frames are kept; `countries`: an MMDB file; `demo`: serve the sample site."""

    database_url: str
    snapshots: Path | None = None
    countries: Path | None = None
    web: Path | None = None
    tracker: Path | None = None
    demo: bool = False
    instance: str = "main"
    # Reports are read in a process of their own, so that they take nothing from collecting; else in this one, which needs less memory.
    reading_apart: bool = True
    # By how much that process stands back behind collecting where there is too little machine for both, as `nice` counts (0 to 19).
    reading_nice: int = Field(default=10, ge=0, le=19)
    # How much memory the hits of all sites and what was tallied of them may take, in MB; without, half of what the machine has. What nobody asks for
    # is put down to disk first.
    memory_mb: int | None = None
    # Proxies whose word on the client's address is taken, as uvicorn's --forwarded-allow-ips.
    trusted_proxies: str = "127.0.0.1"
    # A minute, by network (of 256 addresses) and by site.
    hits_per_network: int = 30_000
    hits_per_site: int = 300_000
    # In five minutes.
    sign_ins_per_network: int = 60
    sign_ins_per_account: int = 10
    max_body_bytes: int = 1024**2
    max_import_bytes: int = 512 * 1024**2
    max_unpacked_bytes: int = 4 * 1024**3
    head_seconds: float = 10.0
    body_seconds: float = 30.0
    import_seconds: float = 1800.0
    answer_seconds: float = 60.0
    store_seconds: float = 15.0
    max_connections: int = 900

    @property
    def memory_bytes(self) -> int:
        """The memory that sites and tallies may take."""
        if self.memory_mb is not None:
            return self.memory_mb * 1024**2
        return os.sysconf("SC_PAGE_SIZE") * os.sysconf("SC_PHYS_PAGES") // 2
