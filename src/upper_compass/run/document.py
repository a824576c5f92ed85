"""The OpenAPI document in the checkout, from which the screens' types are generated; a check holds both against the code."""

from __future__ import annotations

import json

from upper_compass.api.app import create_app
from upper_compass.run.places import ROOT
from upper_compass.settings import Settings

DOCUMENT = ROOT / "web" / "openapi.json"


def text() -> str:
    """The document of the code as it stands."""
    return json.dumps(create_app(Settings(database_url="postgresql://localhost/none")).openapi(), indent=1, ensure_ascii=False) + "\n"


if __name__ == "__main__":
    DOCUMENT.write_text(text())
