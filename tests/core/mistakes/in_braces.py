"""Mistakes that people make in braced key-values: what it is, the text that is replaced, and by what."""

BASE = """// what can be cast
"Moulds"
{
\t"mould"
\t{
\t\t"name"\t\t"Bell"
\t\t"weight"\t"8"\t// kilograms
\t\t"metal"\t\t"tin"
\t}
\t"mould"
\t{
\t\t"name"\t\t"Gate"
\t\t"weight"\t"40"
\t\t"metal"\t\t"iron"\t[$WIDE]
\t\t"parts"
\t\t{
\t\t\t"hinge"\t"2"
\t\t\t"bolt"\t"1"
\t\t}
\t}
}
"Lanes"
{
\t"copper" { "width" "3" "open" "1" }
\t"quay"   { "width" "5" "open" "0" }
}
"Version" "3"
"Title" "Mind the \\"sparks\\""
"""

MISTAKES = [
    ("closing quote of a value missing", '"Bell"\n', '"Bell\n'),
    ("opening quote of a value missing", '\t"Bell"\n', '\tBell"\n'),
    ("closing quote of a key missing", '"weight"\t"8"', '"weight\t"8"'),
    ("opening quote of a key missing", '"weight"\t"8"', 'weight"\t"8"'),
    ("closing quote before a comment missing", '"8"\t//', '"8\t//'),
    ("closing quote of the name of a group missing", '"Moulds"\n', '"Moulds\n'),
    ("opening quote of the name of a group missing", '"Moulds"\n', 'Moulds"\n'),
    ("closing quote of the last value missing", '"Version" "3"', '"Version" "3'),
    ("typographic quotes", '"Bell"', "\u201cBell\u201d"),
    ("single quotes around two words", '"Title" "Mind the \\"sparks\\""', "\"Title\" 'Mind the sparks'"),
    ("quotation mark inside a text not escaped", '\\"sparks\\"', '"sparks"'),
    ("value missing", '"weight"\t"8"', '"weight"'),
    ("key missing", '"weight"\t"8"', '"8"'),
    ("value of the last line missing", '"Version" "3"', '"Version"'),
    ("value of the first line missing", '\t\t"name"\t\t"Bell"\n', '\t\t"name"\n'),
    ("two values", '"weight"\t"8"', '"weight"\t"8" "9"'),
    ("value of two words without quotes", '"metal"\t\t"tin"', '"metal"\t\twhite tin'),
    ("closing brace missing", '"metal"\t\t"tin"\n\t}\n', '"metal"\t\t"tin"\n'),
    ("closing brace of the inner group missing", '"bolt"\t"1"\n\t\t}\n', '"bolt"\t"1"\n'),
    ("closing brace of the outer group missing", "\t}\n}\n", "\t}\n"),
    ("closing brace of the last group missing", '"open" "0" }\n}\n', '"open" "0" }\n'),
    ("closing brace on a line missing", '"open" "1" }', '"open" "1"'),
    ("closing brace too many", '"metal"\t\t"tin"\n\t}\n', '"metal"\t\t"tin"\n\t}\n\t}\n'),
    ("closing brace of the inner group too many", '"bolt"\t"1"\n\t\t}\n', '"bolt"\t"1"\n\t\t}\n\t\t}\n'),
    ("closing brace at the end too many", '"open" "0" }\n}\n', '"open" "0" }\n}\n}\n'),
    ("opening brace missing", '"Moulds"\n{\n', '"Moulds"\n'),
    ("opening brace of an entry missing", '\t"mould"\n\t{\n', '\t"mould"\n'),
    ("opening brace of the inner group missing", '"parts"\n\t\t{\n', '"parts"\n'),
    ("opening brace on a line missing", '"copper" {', '"copper"'),
    ("name of a group missing", '"Moulds"\n{', "{"),
    ("name of an entry missing", '\t"mould"\n\t{', "\t{"),
    ("name of an inner group missing", '\t\t"parts"\n', ""),
    ("parenthesis for a closing brace", '"bolt"\t"1"\n\t\t}', '"bolt"\t"1"\n\t\t)'),
    ("parenthesis for an opening brace", '"parts"\n\t\t{', '"parts"\n\t\t('),
    ("equals sign between", '"weight"\t"8"', '"weight" = "8"'),
    ("colon between", '"weight"\t"8"', '"weight": "8"'),
    ("comma behind a value", '"8"\t// kilograms', '"8",\t// kilograms'),
    ("semicolon behind a value", '"40"\n', '"40";\n'),
    ("code fence pasted along", '"Lanes"\n', '```\n"Lanes"\n'),
    ("a loose word", '"Lanes"\n', 'and\n"Lanes"\n'),
    ("web tag pasted along", '"Lanes"\n', '</code>\n"Lanes"\n'),
]
