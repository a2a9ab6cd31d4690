"""Print the OpenAPI description of the API: ``python -m yaila.api.describe``."""

from __future__ import annotations

import json
import tempfile
from pathlib import Path

from yaila.api.app import create_app
from yaila.store import Store

if __name__ == "__main__":
    with tempfile.TemporaryDirectory() as folder:
        print(json.dumps(create_app(Store(Path(folder)), 0).openapi()))
