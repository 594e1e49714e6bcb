"""The quick game as a program of its own, for rehearsals: `python quick_copy.py FOLDER [PORT]`."""

import re
import sys
import time
from pathlib import Path

TOO_MUCH = 5_000_000

here = Path(sys.argv[1])
(here / "logs").mkdir(exist_ok=True)
said = "station is open"
for path in sorted((here / "sea").glob("*.yml")):
    found = re.search(r"holds: (\d+)", path.read_text())
    if found is not None and int(found.group(1)) >= TOO_MUCH:
        said = f"ERROR {path.name} holds too much"
port = re.search(r"Port=(\d+)", (here / "station.ini").read_text())
if port is not None:
    said = f"port {port.group(1)}, given {sys.argv[2]}\n{said}"
(here / "logs/station.log").write_text(said + "\n")
time.sleep(0 if "ERROR" in said else 60)
