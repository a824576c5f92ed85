"""What tests of the core share."""

from datetime import date

import pytest


@pytest.fixture
def early_years(monkeypatch):
    """Lets hits of tests begin with the count of milliseconds."""
    monkeypatch.setattr("upper_compass.core.definitions.periods.EARLIEST", date(1960, 1, 1))
