#!/bin/sh
# Starts the station. The chart named here must be the one in station.ini; the mods are loaded in this order.
exec ./fathomline \
  --chart coral-gate \
  --with deepsong \
  --with surveyor-kit \
  --with undertow \
  --log logs/station.log
