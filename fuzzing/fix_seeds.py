"""Sound files in shapes of many games, to be broken one token at a time."""

from __future__ import annotations

from typing import Final

_JSON: Final = (
    '{\n  "vendor": "Amber Stall",\n  "open": true,\n  "goods": [\n    {"label": "Twine", "cost": 4},\n'
    '    {"label": "Wick", "cost": 12, "tags": ["a", "b"]}\n  ]\n}\n',
    '[{"id": 7, "at": [1.5, -2, 0]}, {"id": 8, "at": [3, 4, 5]}]',
    '{"a":{"b":{"c":[]}},"d":"e: \\"f\\", {g}","h":null}\n',
    '{\n\t"rules": {\n\t\t"pvp": false,\n\t\t"motd": "Welcome, all: read <rules> [now]"\n\t},\n\t"slots": 24\n}\n',
    '{"1": "2", "3": ["4", "5"], "6": {}}\n',
)
_XML: Final = (
    '<?xml version="1.0"?>\n<stock>\n  <!-- north -->\n  <item name="Bolt"><want>10</want><low>2</low></item>\n'
    '  <item name="Nut"><want>12</want><low>3</low></item>\n  <item name="Rod"><want>8</want><low>1</low></item>\n</stock>\n',
    '<a>\r\n<b c="1">x</b>\r\n<b c="2"><d/><d/></b>\r\n</a>',
    "<zones>\n" + "".join(f"  <want>{n}</want>\n" for n in range(8)) + '  <zone x="1" y="2" r=\'9\'/>\n</zones>\n',
    '<r><p k="a &amp; b">t</p>text<p k="c"/></r>\n',
)
_YAML: Final = (
    'name: "Harbour"\nslots: 20\nadmins:\n  - ada\n  - bo\nlimits: {walk: 3, run: 7}\nnote: it\'s fine # really\n',
    "routes:\n  gate:\n    stops: [a, b, c]\n    fee: 1.5\n  pier:\n    stops: []\n    fee: 'free'\n",
    "- id: 1\n  text: 'x: y'\n- id: 2\n  text: |\n    a: [\n    b\n",
)
_INI: Final = (
    '; main\n[Server]\nName=Blue Hill\nSlots=20\nGreeting="Hi; all"\n\n[Limits]\nSpeed=1.5\nBand=(Low=1,High=(2,3))\n',
    '[Crew/Night]\r\nPost=(Id=1,Tag="a,b",Of=((X=1,Y=2),(X=3,Y=4)))\r\n+Load=A\r\n+Load=B\r\n',
    "endpoint = 0.0.0.0:27000\nkey = a=b\n[x]\ny = [1]\n",
)
_KEYWORDS: Final = (
    'endpoint "0.0.0.0:27000"\nadmin "a:1:2345"  "50:q"\nload base\nset speed 3\n',
    'class Rota {\n  opens = 6;\n  crew[] = {"a", "b"};\n};\n',
    'password = "x"; // y\nmax = 60;\n',
)
_LUA: Final = ('local t = { a = 1, ["b"] = { 2 }, say("x") }\nreturn t\n',)
_SHELL: Final = ("#!/bin/sh\nrun --with 'a b' --with \"c\" && echo $(pwd)\n",)

FILES: Final[dict[str, tuple[str, ...]]] = {
    "a.json": _JSON,
    "a.xml": _XML,
    "a.yml": _YAML,
    "a.ini": _INI,
    "a.cfg": (*_INI, *_KEYWORDS),
    "a.lua": _LUA,
    "a.sh": _SHELL,
    "a.txt": _KEYWORDS,
}
