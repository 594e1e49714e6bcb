"""Mistakes that people make in scripts: what it is, the text that is replaced, and by what."""

SHELL = """#!/bin/sh
# starts the station (and (only) the station
CHART="coral-gate"
MODS='deepsong;surveyor-kit'
cd "$(dirname "$0")" || exit 1
if [ -f "$CHART.lock" ]; then
  echo "It's locked" >&2
  exit 1
fi
case "$1" in
  quick) WAIT=1 ;;
  *) WAIT=10 ;;
esac
for MOD in $(echo "$MODS" | tr ';' ' '); do
  [ -d "mods/$MOD" ] || { echo "no $MOD"; exit 2; }
done
exec ./fathomline --chart "$CHART" --wait "${WAIT}" --mods "$MODS"
"""

LUA = """-- prices of the galley (see the board
local prices = {
  ["Kelp Broth"] = 12,
  ["Eel Pie"] = { now = 30, was = { 28, 29 } },
  ['Ship Biscuit'] = 3,
}
--[[ a long note: it's fine { here
]]
function price(name)
  local found = prices[name]
  if type(found) == "table" then
    return found.now
  end
  return found or error("no price for '" .. name .. "'")
end
return price("Eel Pie")
"""

C_LIKE = """// what the station says (at night
const words = {
  open: "open",
  shut: 'don\\'t',
  /* a { brace */
  hours: [8, 12, [20, 22]],
};
function say(key) {
  if (!(key in words)) {
    throw new Error("no word: " + key);
  }
  return words[key];
}
say("open");
"""

MISTAKES = [
    ("a.sh", "closing quote missing", '"$CHART.lock"', '"$CHART.lock'),
    ("a.sh", "opening quote missing", 'CHART="coral-gate"', 'CHART=coral-gate"'),
    ("a.sh", "closing single quote missing", "'deepsong;surveyor-kit'", "'deepsong;surveyor-kit"),
    ("a.sh", "bracket of a test not closed", 'lock" ]; then', 'lock" ; then'),
    ("a.sh", "bracket of a test not opened", "if [ -f", "if -f"),
    ("a.sh", "parenthesis not closed", "tr ';' ' ');", "tr ';' ' ';"),
    ("a.sh", "brace not closed", "exit 2; }", "exit 2;"),
    ("a.sh", "brace not opened", "|| { echo", "|| echo"),
    ("a.sh", "brace of a name not closed", '"${WAIT}"', '"${WAIT}" ${WAIT'),
    ("a.sh", "bracket for a brace", "exit 2; }", "exit 2; ]"),
    ("a.sh", "typographic quote", 'CHART="coral-gate"', "CHART=\u201ccoral-gate"),
    ("a.sh", "quote too many at the end", '--mods "$MODS"\n', '--mods "$MODS""\n'),
    ("a.sh", "bracket too many", 'lock" ]; then', 'lock" ]]; then'),
    ("a.sh", "quote missing in the last line", '--chart "$CHART"', '--chart "$CHART'),
    ("a.sh", "brace too many in the last line", '--mods "$MODS"\n', '--mods "$MODS" }\n'),
    ("a.lua", "brace of the table not closed", "= 3,\n}\n", "= 3,\n\n"),
    ("a.lua", "inner brace not closed", "28, 29 } }", "28, 29 }"),
    ("a.lua", "inner brace twice", "28, 29 } }", "28, 29 } } }"),
    ("a.lua", "bracket not closed", '["Eel Pie"] =', '["Eel Pie" ='),
    ("a.lua", "bracket not opened", '["Eel Pie"] =', '"Eel Pie"] ='),
    ("a.lua", "closing quote missing", '["Kelp Broth"]', '["Kelp Broth]'),
    ("a.lua", "opening quote missing", '["Kelp Broth"]', '[Kelp Broth"]'),
    ("a.lua", "different quotes", "['Ship Biscuit']", "['Ship Biscuit\"]"),
    ("a.lua", "parenthesis not closed", "type(found) ==", "type(found =="),
    ("a.lua", "parenthesis not opened", "type(found) ==", "type found) =="),
    ("a.lua", "parenthesis not closed at the end", 'price("Eel Pie")', 'price("Eel Pie"'),
    ("a.lua", "parenthesis too many at the end", 'price("Eel Pie")', 'price("Eel Pie"))'),
    ("a.lua", "bracket for a parenthesis", "type(found) ==", "type(found] =="),
    ("a.lua", "parenthesis for a bracket", "prices[name]", "prices[name)"),
    ("a.lua", "typographic quotes", '"table"', "\u201etable"),
    ("a.lua", "quote inside a text", '"table"', '"ta"ble"'),
    ("a.js", "brace of an object not closed", "]],\n};", "]],\n;"),
    ("a.js", "brace of a function not opened", "say(key) {", "say(key)"),
    ("a.js", "inner bracket not closed", "[20, 22]],", "[20, 22],"),
    ("a.js", "inner bracket twice", "[20, 22]],", "[20, 22]]],"),
    ("a.js", "parenthesis not closed", "if (!(key in words)) {", "if (!(key in words) {"),
    ("a.js", "parenthesis too many", "if (!(key in words)) {", "if (!(key in words))) {"),
    ("a.js", "closing quote missing", '"open",', '"open,'),
    ("a.js", "apostrophe in single quotes", "'don\\'t'", "'don't'"),
    ("a.js", "brace for a parenthesis", "+ key);", "+ key};"),
    ("a.js", "parenthesis not closed at the end", 'say("open");', 'say("open";'),
    ("a.js", "brace of the function not closed", "words[key];\n}", "words[key];\n"),
]
