#!/bin/sh
# Starts the ferries.
NAME="Slow Water"
if [ -f ferry.lock ]; then
  echo "It runs." >&2
  exit 1
fi
exec ./ferry -port 26200 -seats 32 --load="base;lights" --pier Alder --pier Clover --quiet
