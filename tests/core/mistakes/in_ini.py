"""Mistakes that people make in INI: what it is, the text that is replaced, and by what."""

BASE = """; multipliers of the station
Motd="Mind the hatch"

[World]
Chart=coral-gate
Depth=40 ; metres
Greeting="Welcome; stay dry"

[Pumps]
Rate=1.5
Circuit=(Name="Gate",Pumps=((Model=T2,Rating=4),(Model=T4,Rating=6)))
Circuit=(Name="Bell",Pumps=((Model=T2,Rating=3)))
+Spare=T2
+Spare=T4

[Crew]
Roster=(Who="Oda",From=8,To=16,Days=(1,2,3))
Berths=24
Path=logs/crew.txt

[Rules]
Curfew=True
Ration: 3
"""

MISTAKES = [
    ("bracket of a section not closed", "[Pumps]", "[Pumps"),
    ("bracket of a section not opened", "[Pumps]", "Pumps]"),
    ("brackets of a section missing", "[Pumps]", "Pumps"),
    ("section with a bracket too many", "[Pumps]", "[Pumps]]"),
    ("section with two opening brackets", "[Pumps]", "[[Pumps]"),
    ("section in parentheses", "[Pumps]", "(Pumps)"),
    ("section in braces", "[Pumps]", "{Pumps}"),
    ("section closed by a brace", "[Pumps]", "[Pumps}"),
    ("setting on the line of its section", "[Pumps]\n", "[Pumps] "),
    ("empty section name", "[Pumps]", "[]"),
    ("equals sign missing", "Berths=24", "Berths 24"),
    ("equals sign and value missing", "Berths=24", "Berths"),
    ("name missing", "Berths=24", "=24"),
    ("equals sign twice", "Berths=24", "Berths==24"),
    ("hyphen for an equals sign", "Berths=24", "Berths-24"),
    ("arrow for an equals sign", "Berths=24", "Berths > 24"),
    ("closing quote missing", '"Mind the hatch"', '"Mind the hatch'),
    ("opening quote missing", '"Mind the hatch"', 'Mind the hatch"'),
    ("closing quote missing before a semicolon", '"Welcome; stay dry"', '"Welcome; stay dry'),
    ("typographic quotes", '"Mind the hatch"', "\u201cMind the hatch\u201d"),
    ("single quote for a double one", '"Mind the hatch"', "\"Mind the hatch'"),
    ("last parenthesis missing", "Rating=3)))", "Rating=3))"),
    ("two parentheses missing", "Rating=3)))", "Rating=3)"),
    ("parenthesis too many", "Rating=3)))", "Rating=3))))"),
    ("opening parenthesis missing", 'Circuit=(Name="Bell"', 'Circuit=Name="Bell"'),
    ("inner opening parenthesis missing", "Pumps=((Model=T2,Rating=3)", "Pumps=(Model=T2,Rating=3)"),
    ("comma between fields missing", 'Who="Oda",From=8', 'Who="Oda" From=8'),
    ("comma between numbers missing", "From=8,To=16", "From=8 To=16"),
    ("comma between structs missing", "Rating=4),(Model", "Rating=4)(Model"),
    ("semicolon for a comma", "From=8,To=16", "From=8;To=16"),
    ("two commas", "From=8,To=16", "From=8,,To=16"),
    ("comma before the end", "Rating=3)))", "Rating=3,)))"),
    ("bracket for a parenthesis", "Days=(1,2,3)", "Days=[1,2,3]"),
    ("brace for a closing parenthesis", "Days=(1,2,3)", "Days=(1,2,3}"),
    ("quote inside a struct missing", 'Name="Bell"', 'Name="Bell'),
    ("opening quote inside a struct missing", 'Name="Bell"', 'Name=Bell"'),
    ("typographic quotes inside a struct", 'Name="Bell"', "Name=\u201cBell\u201d"),
    ("equals sign inside a struct missing", "From=8", "From 8"),
    ("colon inside a struct", "From=8", "From:8"),
    ("struct broken over two lines", 'Roster=(Who="Oda",', 'Roster=(Who="Oda",\n'),
    ("setting broken over two lines", "Path=logs/crew.txt", "Path=\nlogs/crew.txt"),
    ("setting pasted twice", "Berths=24\n", "Berths=24\nBerths=30\n"),
    ("web tag pasted along", "[Rules]\n", "[Rules]\n</code>\n"),
    ("code fence pasted along", "[Rules]\n", "```\n[Rules]\n"),
    ("comment of another language", "[Rules]\n", "/* rules */\n[Rules]\n"),
    ("XML comment", "[Rules]\n", "<!-- rules -->\n[Rules]\n"),
    ("a loose word", "[Rules]\n", "[Rules]\nand\n"),
]
