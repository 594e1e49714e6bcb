@echo off
rem Starts the cannery.
set HALL=north
set "TITLE=The Old Cannery"
if exist %HALL%.lock (
  echo It runs already.
  exit /b 1
)
cannery.exe --hall=%HALL% -port=7700 --load=base;belts;jars -name "The Old Cannery" --with night-crew --with choir
