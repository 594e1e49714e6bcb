"""Mistakes that people make in keyword lines: what it is, the text that is replaced, and by what."""

BASE = """// the gate
hostname "Copper Lane"
address "0.0.0.0:27310" // all of them
seats 24

# who may what
admin "Ada" 5 build
admin "Bo the elder" 1 look
load "patterns/base"
load "patterns/ornate"
motd "Mind the sparks; and the cat" 30
"""

MISTAKES = [
    ("closing quote missing", '"Copper Lane"', '"Copper Lane'),
    ("opening quote missing", '"Copper Lane"', 'Copper Lane"'),
    ("closing quote before a comment missing", '27310" //', "27310 //"),
    ("closing quote of the first value missing", '"Ada" 5 build', '"Ada 5 build'),
    ("closing quote of two words missing", '"Bo the elder" 1', '"Bo the elder 1'),
    ("closing quote of the last line missing", 'cat" 30', "cat 30"),
    ("single quote at the end", '"Copper Lane"', "\"Copper Lane'"),
    ("typographic quotes", '"Copper Lane"', "\u201cCopper Lane\u201d"),
    ("typographic quotes around one word", '"Ada" 5', "\u201cAda\u201d 5"),
    ("typographic quotes pasted into a path", '"patterns/base"', "\u201epatterns/base\u201c"),
    ("marks inside a text", "Mind the sparks", 'Mind the "sparks"'),
    ("space between two values missing", '"Ada" 5', '"Ada"5'),
    ("space between two texts missing", '"Bo the elder" 1', '"Bo" the elder"1'),
    ("equals sign between", "seats 24", "seats = 24"),
    ("colon between", "seats 24", "seats : 24"),
    ("equals sign before a text", 'hostname "', 'hostname = "'),
    ("comma between two values", '"Ada" 5', '"Ada", 5'),
    ("equals sign between two values", '"Ada" 5 build', '"Ada" = 5 build'),
    ("bar between two values", '"Ada" 5', '"Ada" | 5'),
    ("keyword missing", 'hostname "Copper Lane"', '"Copper Lane"'),
    ("keyword of an entry missing", 'admin "Ada" 5 build', '"Ada" 5 build'),
    ("keyword in quotation marks", "seats 24", '"seats" 24'),
    ("number before the keyword", "seats 24", "24 seats"),
    ("numbered list pasted", "seats 24", "1) seats 24"),
    ("bullet pasted", "seats 24", "\u2022 seats 24"),
    ("star pasted", "seats 24", "* seats 24"),
    ("prompt pasted", "seats 24", "> seats 24"),
    ("dollar pasted", "seats 24", "$ seats 24"),
    ("code fence pasted along", "seats 24\n", "```\nseats 24\n"),
    ("web tag pasted along", "seats 24\n", "</code>\nseats 24\n"),
    ("opening web tag pasted along", "seats 24\n", "<code>\nseats 24\n"),
    ("braces from another format", "seats 24\n", "{\nseats 24\n"),
    ("closing brace from another format", "seats 24\n", "seats 24\n}\n"),
    ("section header from another format", "seats 24\n", "[Gate]\nseats 24\n"),
    ("equals signs as a heading", "seats 24\n", "====\nseats 24\n"),
    ("comment of another language", "# who may what", "' who may what"),
    ("comment in parentheses", "# who may what", "(who may what)"),
    ("conflict marker left", "seats 24\n", "<<<<<<< mine\nseats 24\n"),
    ("end of a conflict left", "seats 24\n", "seats 24\n>>>>>>> theirs\n"),
    ("ellipsis sign pasted", "seats 24\n", "\u2026\nseats 24\n"),
]
