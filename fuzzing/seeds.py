"""Sound files to begin with, and the pieces that mutations put into them."""

from __future__ import annotations

from typing import Final

SEEDS: Final[dict[str, tuple[str, ...]]] = {
    "a.xml": (
        '<?xml version="1.0"?>\n<finds>\n  <!-- brass -->\n  <find name="A" x=\'1\'>\n    <band at="s" holds="3"/>\n'
        '    t &amp; <![CDATA[x]]>\n  </find>\n\n  <find name="B"><k>v</k></find>\n</finds>\n',
        '<a>\r\n<b c="1">x</b><?p q?>\r\n<b c="2"><d/><d/></b>\r\n</a>',
    ),
    "a.yml": (
        "a: 1\nb:\n  - x: 1\n    y: [1, 2, {a: b}]\n  - |\n    text\n    more\n  - 'q'\nc: \"d\\n\" # c\n&a d: &b 1\n"
        "e: *b\n? k\n: v\n---\n- - a\n  - b\n",
        "hauls:\n  # small\n  net:\n    title: Night net\n    of:\n    - thing: rope\n      weight: 3\n    - thing: bell\n",
        "%YAML 1.2\n---\na: >-\n  two\n\n  lines\n...\n",
    ),
    "a.json": (
        '{"a": [1, 2.5, {"b": "c\\n"}], "d": {"e": null, "f": true},\n "g": "h"}\n',
        '{\n  "dishes": [\n    {"name": "x", "price": 1},\n    {"name": "y", "price": -2e3}\n  ]\n}\n',
        '{"a": 1, // c\n "b": [\'q\', k,],}\n',
    ),
    "a.ini": (
        '; c\n[A]\nx=1 ; d\ny="q"\nz=(A=1,B=(C="x",D=2))\n+k=1\n-k=2\n[B]\nname: value\n// e\n',
        "key = a value\r\n[S] # h\r\nr=((1,2),(3,4))\r\n",
    ),
    "a.sh": (
        "#!/bin/sh\n# c (\nrun \"a b\" (x) [y] {z}\nif [ $a = 'b' ]; then\n  echo $(pwd)\nfi\n",
        'case "$1" in\n  q) W=1 ;;\nesac\nM="a;b"\n',
    ),
    "a.properties": (
        "# c\nmost.seats=24\nmotd = calm \\\n  seas\n! d\nname: v\\u00e9\\=\nlone\n",
        "a=1\r\nb = x\r\n",
    ),
    "a.env": ("# c\nexport A=\"x y\" # d\nB=3\nC='a\nb'\nD=a#b\n",),
    "a.keywords": (
        '// c\ntitle "The Quay" // shown\nseats 24\nadmin "Ada" 5 build\nadmin "Bo" 1 look;\nload a\nload b\nquiet\n',
    ),
    "a.braces": (
        '"Shop"\n{\n\t// c\n\t"item"\n\t{\n\t\t"name"\t"Rope"\n\t\t"price" "5" [$WIDE]\n\t}\n\t"item" { "name" "Lamp" }\n}\n"v" "1"\n',
        'a { b c }\r\nd "e \\"f\\""\r\n',
    ),
    "a.classes": (
        '// c\n#include "a.hpp"\nclass Crew: Base\n{\n  // how many\n  seats = 24; // d\n  decks[] = {"a", {1, 2}, b};\n'
        '  class Night { opens = 0; };\n  t = "say ""hi""";\n};\nclass Other;\ndelete X;\n',
        "a = 1;\r\nb[] += {2,};\r\n/* c */\r\n",
    ),
    "a.toml": (
        '# c\nt = "q" # d\ns = 24\no = 1979-05-27 07:32:00\nx."a b".y = true\nc = ["A", \'B\'] # e\ng = [ [1, 2], # f\n  [3],\n]\n'
        'n = """\nl\nm"""\np = { x = 1, y = 2.5 }\n\n[h.n]\nz = 0\n\n[[b]]\nname = "u"\n[b.c]\nk = "v"\n[[b]]\nname = "w"\n',
    ),
    "a.rows": (
        "# Tables of a database server\n# t: i INTEGER default next, n VARCHAR(8) null -> u.n, b BOOLEAN default false; key i; unique n\n"
        't: i=1, n="x", b=false\nt: i=2, n=null, b=true\n# u: n TEXT, d DATE; key n, d\nu: @row="x/2026-01-01", n="x", d="2026-01-01"\n',
    ),
    "a.lua": (
        'local t = { a = 1, ["b"] = { 2 } } -- c\n--[[ x ]]\nreturn f("s")\n',
        'A.B = {\n  ["x y"] = { p = 5, q = "z", }, -- c\n  { 1; 2 },\n  f = function(a) if a then return {} end end,\n'
        '  n = [[l\nm]],\n}\nA.C["d"] = true\nAdd("e", {\n  g = -1,\n})\n',
    ),
    "a.js": (
        'const S = 1.5;\nexport const b = {\n  n: { l: 4, i: ["a", "b"] }, // c\n  "o p": null,\n  r() { return {}; },\n};\n'
        "f('x', { v: [[1, 2], [3]] });\n",
    ),
    "a.c": (
        '#define A 5\nstatic const int B = 7; /* c */\nstruct L l[] = {\n  { .n = "t", .p = 3 },\n  { .n = "g", .p = F(5) },\n};\n',
    ),
    "b.sh": (
        'N="a b"\nexport P=7\nL=\'a;b\'\nif true; then\n  exec ./g --h "$N" -p 7 --l=a,b \\\n    --w x --q\nfi\n',
    ),
    "a.bat": ('@echo off\nset A=b;c\nset "T=x y"\nif exist f (\n  g.exe --l=a;b -n "x y" --w z\n)\n',),
    "a.ps1": ('$A = "b"\n<# c #>\n& ./g --l "a,b" `\n  --q\n',),
    "a.py": ('"""d"""\nK = 5\nt = {\n    "a": {"b": [1, 2], "c": f(x)},  # d\n}\n',),
}

PIECES: Final = (
    *"\n\t :-\"'[]{}()<>/=,#&*!|?%@`;\\.0a\u00e9\x00\r+~^$",
    *("\n  ", "  ", "- ", ": ", ", ", "<a>", "</a>", "<find", "</find>", "<!--", "-->", "<![CDATA[", "]]>", "<?", "?>"),
    *("class ", "};", "[]", "/*", "*/", "\\\n", '""', '" "', "export ", " = "),
    *(
        "---\n",
        "...\n",
        '"""',
        "&amp;",
        "&#0;",
        "&x;",
        "//",
        "/*",
        "*/",
        "\ufeff",
        "\u2028",
        "\u201c",
        "\u201d",
        "\U0001f41f",
    ),
    *(
        "null",
        "true",
        "NaN",
        "-0",
        "1e999",
        "\\u12",
        "\\ud800",
        "\\x4",
        "? ",
        "| ",
        ">-\n",
        "&a ",
        "*a",
        "!!str ",
        "<<: ",
    ),
    *(
        "[A]\n",
        "(A=1,",
        "))",
        "((",
        "==",
        "<!DOCTYPE a [",
        "<!ENTITY b 'c'>",
        "\r\n",
        "\r",
        "\x85",
        "\x1b[1m",
        "\ud800",
    ),
)
