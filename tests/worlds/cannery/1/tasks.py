"""What is done at night."""

import os

KEEP_DAYS = 14
tasks = {
    "sweep": {"at": "03:00", "rooms": ["hall", "dock"]},
    "count": {"at": "04:30", "rooms": [], "by": os.environ.get("CLERK", "Ada")},
}


def run(name):
    task = tasks[name]
    return [room.strip() for room in task["rooms"]]
