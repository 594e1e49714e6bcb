"""Mistakes that people make in class configs: what it is, the text that is replaced, and by what."""

BASE = """// who works when
#include "base.hpp"
version = 3;

class Shift
{
\thours = 8;
\tpay = 12.5; // coins
\tbreaks[] = {10, 15};
};

class Shifts
{
\t// the first one
\tclass Ash: Shift
\t{
\t\topens = 6;
\t\tmaster = "Ada";
\t\tcasts[] = {"Bell", "Gate", "Rail"};
\t};
\tclass Birch: Shift
\t{
\t\topens = 14;
\t\tmaster = "Bo, the elder";
\t\tcasts[] = {
\t\t\t"Jack",
\t\t\t"Easel"
\t\t};
\t\tgrid[] = {{1, 2}, {3, 4}};
\t};
\tclass Cedar;
};
greeting = "Mind the ""sparks"" ";
"""

MISTAKES = [
    ("semicolon behind a number missing", "hours = 8;", "hours = 8"),
    ("semicolon behind a text missing", 'master = "Ada";', 'master = "Ada"'),
    ("semicolon behind a list missing", "{10, 15};", "{10, 15}"),
    ("semicolon behind a class missing", "{10, 15};\n};", "{10, 15};\n}"),
    ("semicolon behind an inner class missing", '"Rail"};\n\t};', '"Rail"};\n\t}'),
    ("semicolon behind the first value missing", "version = 3;", "version = 3"),
    ("semicolon behind the last value missing", 'sparks"" ";', 'sparks"" "'),
    ("comma for a semicolon", "hours = 8;", "hours = 8,"),
    ("colon for a semicolon", "opens = 6;", "opens = 6:"),
    ("closing quote missing", '"Ada";', '"Ada;'),
    ("opening quote missing", '"Ada";', 'Ada";'),
    ("closing quote missing before a comma", '"Bo, the elder";', '"Bo, the elder;'),
    ("closing quote in a list missing", '"Bell", "Gate"', '"Bell, "Gate"'),
    ("closing quote of the last item missing", '"Rail"}', '"Rail}'),
    ("opening quote in a list missing", '{"Bell"', '{Bell"'),
    ("typographic quotes", '"Ada"', "\u201cAda\u201d"),
    ("quotation marks inside a text not doubled", '""sparks""', '"sparks"'),
    ("comma in a list missing", '"Bell", "Gate"', '"Bell" "Gate"'),
    ("comma between numbers missing", "{10, 15}", "{10 15}"),
    ("comma at the end of a line missing", '"Jack",\n', '"Jack"\n'),
    ("comma between inner lists missing", "{1, 2}, {3, 4}", "{1, 2} {3, 4}"),
    ("two commas", '"Bell", "Gate"', '"Bell",, "Gate"'),
    ("comma before the first item", '{"Bell"', '{, "Bell"'),
    ("semicolon for a comma", '"Bell", "Gate"', '"Bell"; "Gate"'),
    ("closing brace of a list missing", '"Rail"};', '"Rail";'),
    ("opening brace of a list missing", 'casts[] = {"Bell"', 'casts[] = "Bell"'),
    ("parentheses for braces", "{10, 15}", "(10, 15)"),
    ("brackets for braces", "{10, 15}", "[10, 15]"),
    ("brace of an inner list missing", "{3, 4}};", "{3, 4};"),
    ("brace of a list too many", '"Rail"};', '"Rail"}};'),
    ("closing brace of a class missing", '"Rail"};\n\t};', '"Rail"};'),
    ("closing brace of the first class missing", "{10, 15};\n};", "{10, 15};"),
    ("closing brace of the outer class missing", "\tclass Cedar;\n};", "\tclass Cedar;"),
    ("opening brace of a class missing", "class Shift\n{\n", "class Shift\n"),
    ("opening brace of an inner class missing", "class Ash: Shift\n\t{\n", "class Ash: Shift\n"),
    ("closing brace too many", '"Rail"};\n\t};', '"Rail"};\n\t};\n\t};'),
    ("equals sign missing", "hours = 8;", "hours 8;"),
    ("value missing", "hours = 8;", "hours = ;"),
    ("name missing", "hours = 8;", "= 8;"),
    ("brackets of a list missing", "breaks[] = {", "breaks = {"),
    ("value pasted twice", "\thours = 8;\n", "\thours = 8;\n\thours = 9;\n"),
    ("class pasted twice", "\tclass Cedar;\n", "\tclass Cedar;\n\tclass Cedar;\n"),
    ("misspelled class", "class Birch: Shift", "clas Birch: Shift"),
    ("name with a space", "hours = 8;", "work hours = 8;"),
    ("code fence pasted along", "class Shift\n", "```\nclass Shift\n"),
    ("a loose word", "class Shift\n", "and\nclass Shift\n"),
    ("comment never closed", "// the first one", "/* the first one"),
]
