@echo off
rem Starts the hall.
set HALL=round
if exist hall.lock (
  echo It runs already.
  exit /b 1
)
hall.exe -port=26300 --load=base;echo -name "Round Hall" --song Aubade --song Jig
