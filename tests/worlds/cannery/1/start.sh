#!/bin/sh
# Starts the cannery.
HALL="north"
export PORT=7700
LOADED='base;belts;jars'
cd "$(dirname "$0")" || exit 1
if [ -f "$HALL.lock" ]; then
  echo "It's running" >&2; exit 1
fi
exec ./cannery --hall "$HALL" -port 7700 --load="base;belts" --with night-crew \
  --with 'the choir' +belt north --quiet
