#!/bin/sh
# Starts the station. The chart named here must be the one in station.ini.
CHART="coral-gate"
MODS="deepsong;surveyor-kit"
exec ./fathomline --chart "$CHART" --mods "$MODS" --log logs/station.log
