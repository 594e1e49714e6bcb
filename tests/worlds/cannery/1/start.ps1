# Starts the cannery.
$Hall = "north"
$Port = 7700
<# no { bracket
here #>
if (Test-Path "$Hall.lock") { Write-Output "It runs already."; exit 1 }
& ./cannery.exe --hall $Hall -port $Port `
  --load "base,belts" --quiet
