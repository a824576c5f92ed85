"""Columns that are credited, as tests ask for them: of bookings, over two days."""

from upper_compass.core.definitions.goals import Goal
from upper_compass.core.definitions.requests import TableRequest
from upper_compass.core.reports.tables import table

BOOKED = Goal.model_validate({"match": {"kind": "event", "names": ["book"]}, "counts": "every time", "value": {"kind": "hit"}})
PERIOD = {"first": "1970-01-11", "last": "1970-01-12"}


def column(measure="conversions", **more):
    return {"id": measure, "measure": measure} | more


def table_of(reading, dimensions, columns, **more):
    """The table of such columns."""
    request = {"period": PERIOD, "versus": "none", "goal": 1, "dimensions": dimensions, "columns": columns, "limit": 1000} | more
    return table(reading, TableRequest.model_validate(request), {1: BOOKED})


def rows_of(reading, dimensions, columns, **more):
    """{keys: the figures of each column}, and the totals."""
    result = table_of(reading, dimensions, columns, **more)
    return {tuple(row): tuple(one.values[i] for one in result.columns) for i, row in enumerate(result.rows)}, [one.values[0] for one in result.total]
