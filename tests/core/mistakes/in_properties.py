"""Mistakes that people make in properties and env files: the file, what it is, the text that is replaced, and by what."""

PROPERTIES = """# how it runs
title=Copper Lane
seats=24
save.every = 15
motd=Mind the sparks, \\
    and the cat.
pay: 12.5
rain=false
"""

ENV = """# what the start script reads
export PORT=27310
TITLE="Copper Lane" # shown in the list
MODS=base,ornate
SAVE='saves/one'
NIGHT=20
"""

MISTAKES = [
    ("a.properties", "equals sign missing", "seats=24", "seats24"),
    ("a.properties", "equals sign and value missing", "seats=24", "seats"),
    ("a.properties", "value of the last line missing", "rain=false", "rain"),
    ("a.properties", "name missing", "seats=24", "=24"),
    ("a.properties", "name missing before a colon", "pay: 12.5", ": 12.5"),
    ("a.properties", "equals sign twice", "seats=24", "seats==24"),
    ("a.properties", "equals sign twice with spaces", "save.every = 15", "save.every = =15"),
    ("a.properties", "name of two words", "seats=24", "most seats=24"),
    ("a.properties", "name of two words with spaces", "save.every = 15", "save every = 15"),
    ("a.properties", "name of three words", "rain=false", "does it rain=false"),
    ("a.properties", "setting pasted twice", "seats=24\n", "seats=24\nseats=30\n"),
    ("a.properties", "setting pasted twice at the end", "rain=false\n", "rain=false\nseats=30\n"),
    ("a.properties", "the same setting in two ways", "pay: 12.5\n", "pay: 12.5\npay=13\n"),
    ("a.properties", "code fence pasted along", "seats=24\n", "```\nseats=24\n"),
    ("a.properties", "named code fence pasted along", "seats=24\n", "```properties\nseats=24\n"),
    ("a.properties", "web tag pasted along", "seats=24\n", "</code>\nseats=24\n"),
    ("a.properties", "loose word", "seats=24\n", "and\nseats=24\n"),
    ("a.properties", "backslash at the end of a value missing", "sparks, \\\n", "sparks,\n"),
    ("a.properties", "hyphen for an equals sign", "seats=24", "seats-24"),
    ("a.properties", "section header of another format", "seats=24\n", "[Gate]\nseats=24\n"),
    ("a.env", "closing quote missing", '"Copper Lane" #', '"Copper Lane #'),
    ("a.env", "opening quote missing", '"Copper Lane" #', 'Copper Lane" #'),
    ("a.env", "closing single quote missing", "'saves/one'", "'saves/one"),
    ("a.env", "spaces around the equals sign", "NIGHT=20", "NIGHT = 20"),
    ("a.env", "space before the equals sign", "NIGHT=20", "NIGHT =20"),
    ("a.env", "space behind the equals sign", "NIGHT=20", "NIGHT= 20"),
    ("a.env", "spaces around the equals sign of a text", 'TITLE="', 'TITLE = "'),
    ("a.env", "two words without marks", '"Copper Lane"', "Copper Lane"),
    ("a.env", "list with spaces without marks", "base,ornate", "base, ornate"),
    ("a.env", "equals sign missing", "NIGHT=20", "NIGHT 20"),
    ("a.env", "equals sign and value missing", "NIGHT=20", "NIGHT"),
    ("a.env", "colon for an equals sign", "NIGHT=20", "NIGHT: 20"),
    ("a.env", "name missing", "NIGHT=20", "=20"),
    ("a.env", "name of two words", "NIGHT=20", "LATE NIGHT=20"),
    ("a.env", "name with a hyphen at its start", "NIGHT=20", "-NIGHT=20"),
    ("a.env", "name that begins with a digit", "NIGHT=20", "2NIGHT=20"),
    ("a.env", "setting pasted twice", "NIGHT=20\n", "NIGHT=20\nNIGHT=30\n"),
    ("a.env", "misspelled export", "export PORT", "exprt PORT"),
    ("a.env", "code fence pasted along", "NIGHT=20\n", "```\nNIGHT=20\n"),
    ("a.env", "comment of another language", "# what the", "// what the"),
    ("a.env", "loose word", "NIGHT=20\n", "and\nNIGHT=20\n"),
]
