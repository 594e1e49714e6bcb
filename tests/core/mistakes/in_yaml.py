"""Mistakes that people make in YAML: what it is, the text that is replaced, and by what."""

BASE = """# draw tables
settings:
  greeting: "Welcome, diver"
  farewell: 'It''s calm out there'
  currency: shell
  limits:
    per-day: 40
    per-dive: 8
  grounds: [shallow, shelf, abyss]
  colours: {hot: red, cold: blue}
hauls:
  night-net:
    title: Night net
    draws: 3
    of:
      - thing: rope
        weight: 30
        count: [1, 2]
      - thing: brass valve
        weight: 12
        count: [1, 1]
  deep-box:
    title: Deep box
    draws: 2    # sets drawn
    of:
      - thing: amber
        weight: 5
story: |
  Two lamps went out.
  No one asked why.
admins:
  - oda
  - bram
"""

MISTAKES = [
    ("colon missing behind a name", "    draws: 3\n", "    draws 3\n"),
    ("colon missing behind the name of a group", "  deep-box:\n", "  deep-box\n"),
    ("colon missing behind the name of a list", "draws: 3\n    of:\n", "draws: 3\n    of\n"),
    ("space missing behind a colon", "    draws: 3\n", "    draws:3\n"),
    ("equals sign for a colon", "    draws: 3\n", "    draws = 3\n"),
    ("second colon in a text", "title: Night net", "title: Night: net"),
    ("line indented too much", "    draws: 3\n", "      draws: 3\n"),
    ("line indented too little", "    draws: 3\n", "   draws: 3\n"),
    ("group indented too little", "    per-day: 40\n", "   per-day: 40\n"),
    ("last line indented too much", "    per-dive: 8\n", "     per-dive: 8\n"),
    ("tab for spaces", "    draws: 3\n", "\tdraws: 3\n"),
    ("tab after spaces", "    draws: 3\n", "  \tdraws: 3\n"),
    ("closing quote missing", '"Welcome, diver"', '"Welcome, diver'),
    ("opening quote missing", '"Welcome, diver"', 'Welcome: diver"'),
    ("closing single quote missing", "'It''s calm out there'", "'It''s calm out there"),
    ("apostrophe in single quotes", "'It''s calm out there'", "'It's calm out there'"),
    ("quote in double quotes", '"Welcome, diver"', '"Welcome, "diver""'),
    ("backslash in double quotes", '"Welcome, diver"', '"C:\\diver"'),
    ("text behind quotes", '"Welcome, diver"', '"Welcome", diver'),
    ("closing bracket missing", "[shallow, shelf, abyss]", "[shallow, shelf, abyss"),
    ("closing brace missing", "{hot: red, cold: blue}", "{hot: red, cold: blue"),
    ("brace for a bracket", "[shallow, shelf, abyss]", "[shallow, shelf, abyss}"),
    ("comma in braces missing", "{hot: red, cold: blue}", "{hot: red cold: blue}"),
    ("two commas in brackets", "[shallow, shelf, abyss]", "[shallow,, shelf, abyss]"),
    ("bracket too many", "[shallow, shelf, abyss]", "[shallow, shelf, abyss]]"),
    ("comma first in brackets", "[shallow, shelf, abyss]", "[, shelf, abyss]"),
    ("dash missing in a list", "  - bram\n", "  bram: 1\n"),
    ("dash without a space", "      - thing: brass valve\n", "      -thing: brass valve\n"),
    ("dash missing before an entry", "      - thing: brass valve\n", "      thing: brass valve\n"),
    ("dash among settings", "    draws: 3\n", "    - draws: 3\n"),
    ("entry of a list indented differently", "      - thing: brass valve\n", "       - thing: brass valve\n"),
    ("field of an entry indented too little", "        weight: 12\n", "       weight: 12\n"),
    ("name twice", "    draws: 3\n", "    draws: 3\n    draws: 4\n"),
    ("group pasted twice", "  deep-box:\n", "  night-net:\n"),
    ("percent sign first", "currency: shell", "currency: %shell"),
    ("at sign first", "currency: shell", "currency: @shell"),
    ("backtick first", "currency: shell", "currency: `shell`"),
    ("star first", "currency: shell", "currency: *shell"),
    ("ampersand and a space", "currency: shell", "currency: & shell"),
    ("exclamation mark in a text", "currency: shell", "currency: !shell! now"),
    ("list on the line of its name", "admins:\n  - oda\n", "admins: - oda\n"),
    ("text of several lines too far left", "  No one asked why.\n", "No one asked why.\n"),
    ("text behind a vertical line", "story: |\n", "story: | now\n"),
    ("a stray word", "admins:\n", "then\nadmins:\n"),
    ("a brace as a text", "title: Night net", "title: {name} net"),
    ("a bracket as a text", "title: Night net", "title: [Night] net"),
    ("question of an unknown anchor", "weight: 12", "weight: *usual"),
    ("curly quotes do no harm, a colon behind them does", '"Welcome, diver"', "\u201cWelcome: diver\u201d"),
]
