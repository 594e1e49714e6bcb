"""Mistakes that people make in TOML: what it is, the text that is replaced, and by what."""

BASE = """# the quay
title = "The Quay"
seats = 24
opened = 1979-05-27
crew = ["Ada", "Bo"]
shifts = [
  [6, 12], # in the morning
  [13, 18],
]
note = \'\'\'
as it is
\'\'\'
light = { power = 5, colour = "white" }

[hours.night]
opens = 0
closes = 6.5
quiet = true

[[berth]]
name = "north"
price = 5

[berth.cargo]
kind = "coal"
most = 400

[[berth]]
name = "south"
price = 7
free = false
"""

MISTAKES = [
    ("sign missing", "seats = 24", "seats 24"),
    ("colon for the sign", "seats = 24", "seats: 24"),
    ("sign twice", "seats = 24", "seats = = 24"),
    ("value missing", "seats = 24", "seats = "),
    ("name missing", "seats = 24", "= 24"),
    ("name in two words", "seats = 24", "most seats = 24"),
    ("two values", "seats = 24", "seats = 24 25"),
    ("text without quotes", '"The Quay"', "The Quay"),
    ("word without quotes", '"coal"', "coal"),
    ("closing quote missing", '"The Quay"', '"The Quay'),
    ("opening quote missing", '"The Quay"', 'The Quay"'),
    ("different quotes", '"coal"', "\"coal'"),
    ("quote inside a text", '"The Quay"', '"The "Quay"'),
    ("backslash in a text", '"coal"', '"c:\\\\dir\\q"'),
    ("typographic quotes", '"coal"', "\u201ccoal\u201d"),
    ("capital in a switch", "quiet = true", "quiet = True"),
    ("another word for a switch", "quiet = true", "quiet = yes"),
    ("number with a zero before it", "price = 5", "price = 05"),
    ("number with a comma", "closes = 6.5", "closes = 6,5"),
    ("number without its places", "closes = 6.5", "closes = 6."),
    ("number with a unit", "most = 400", "most = 400kg"),
    ("date that does not exist", "1979-05-27", "1979-13-27"),
    ("date in another order", "1979-05-27", "27.05.1979"),
    ("comma missing in a list", '"Ada", "Bo"', '"Ada" "Bo"'),
    ("comma missing between lists", "[6, 12], # in", "[6, 12] # in"),
    ("comma missing between numbers", "[13, 18]", "[13 18]"),
    ("comma twice", '"Ada", "Bo"', '"Ada",, "Bo"'),
    ("bracket of a list not closed", '"Bo"]', '"Bo"'),
    ("bracket of a long list not closed", "18],\n]", "18],\n"),
    ("bracket of an inner list not closed", "[6, 12],", "[6, 12,"),
    ("bracket too many", '"Bo"]', '"Bo"]]'),
    ("brace not closed", '"white" }', '"white"'),
    ("comma missing in a table", "power = 5, colour", "power = 5 colour"),
    ("sign missing in a table", "power = 5", "power 5"),
    ("colon in a table", "power = 5", "power: 5"),
    ("long text not closed", "is\n'''", "is\n"),
    ("header not closed", "[hours.night]", "[hours.night"),
    ("header not opened", "[hours.night]", "hours.night]"),
    ("header of an entry half closed", '[[berth]]\nname = "north', '[[berth]\nname = "north'),
    ("header without a name", "[hours.night]", "[]"),
    ("setting behind a header", "[hours.night]\n", "[hours.night] "),
    ("setting twice", "closes = 6.5", "opens = 6.5"),
    ("setting of a table in one line twice", "colour", "power"),
    ("table twice", '[[berth]]\nname = "south', '[hours.night]\nname = "south'),
    ("a comment of another language", "# the quay", "// the quay"),
]
