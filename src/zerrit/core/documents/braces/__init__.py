"""Reading and writing braced key-values: `"key" "value"` and `"key" { … }`."""
