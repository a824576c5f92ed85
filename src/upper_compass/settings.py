"""How an instance of the application is set up: by whoever starts it, and by `COMPASS_…` in the environment."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta
from pathlib import Path

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
