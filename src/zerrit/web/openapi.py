"""Print the OpenAPI document: `python -m zerrit.web.openapi`. The console's types are made from it."""

import json
import sys
from pathlib import Path

from zerrit.web.app import Settings, create_app

if __name__ == "__main__":
    json.dump(create_app(Settings(Path())).openapi(), sys.stdout, indent=1, sort_keys=True)
    sys.stdout.write("\n")
