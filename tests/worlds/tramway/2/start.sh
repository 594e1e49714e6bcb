#!/bin/sh
DEPOT="Mill Lane"
exec ./trams --lines lines.ini --mods "bells;lamps" --port 4100
