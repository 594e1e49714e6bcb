"""Mistakes that people make in XML: what it is, the text that is replaced, and by what."""

BASE = """<?xml version="1.0" encoding="UTF-8"?>
<!-- what is on the sea bed -->
<finds>
  <!-- common -->
  <find name="Copper Gimbal" worth="40" kind="brass">
    <band at="shallow" holds="12"/>
    <band at="shelf" holds="30"/>
    <note>From the old survey &amp; its boats</note>
  </find>

  <find name="Bent Sextant" worth="75" kind="brass">
    <band at="shelf" holds="8"/>
    <band at="slope" holds="4"/>
    <note>Rust does no harm</note>
  </find>

  <!-- rare -->
  <find name="Amber Eel" worth="310" kind="alive">
    <band at="abyss" holds="1"/>
    <lure>
      <bait kind="krill" share="0.4"/>
      <bait kind="squid" share="0.6"/>
    </lure>
    <note><![CDATA[Bites < 3 times & leaves]]></note>
  </find>

  <find name="Silt Lamp" worth="22" kind="glass">
    <band at="trench" holds="16"/>
  </find>
</finds>
"""

MISTAKES = [
    (
        "closing tag of an entry deleted",
        "    <note>Rust does no harm</note>\n  </find>\n",
        "    <note>Rust does no harm</note>\n",
    ),
    ("closing tag of the first entry deleted", "boats</note>\n  </find>\n", "boats</note>\n"),
    ("closing tag of the last entry deleted", 'holds="16"/>\n  </find>\n', 'holds="16"/>\n'),
    ("closing tag of the root deleted", "  </find>\n</finds>\n", "  </find>\n"),
    ("closing tag twice", "harm</note>\n  </find>\n", "harm</note>\n  </find>\n  </find>\n"),
    ("closing tag of the root twice", "</finds>\n", "</finds>\n</finds>\n"),
    ("opening tag deleted", '  <find name="Bent Sextant" worth="75" kind="brass">\n', ""),
    ("closing tag misspelled", "harm</note>\n  </find>", "harm</note>\n  </fnid>"),
    ("closing tag in capitals", "harm</note>\n  </find>", "harm</note>\n  </Find>"),
    ("closing tag of another element", "Rust does no harm</note>", "Rust does no harm</find>"),
    ("closing tag of a field deleted", "Rust does no harm</note>", "Rust does no harm"),
    ("slash of a closing tag missing", "Rust does no harm</note>", "Rust does no harm<note>"),
    ("slash of a self-closing tag missing", '<band at="slope" holds="4"/>', '<band at="slope" holds="4">'),
    ("angle bracket at the end missing", '<band at="slope" holds="4"/>', '<band at="slope" holds="4"/'),
    ("end of a tag missing", '<band at="slope" holds="4"/>', '<band at="slope" holds="4"'),
    ("end of an opening tag missing", 'worth="75" kind="brass">', 'worth="75" kind="brass"'),
    ("angle bracket at the start missing", '<band at="slope"', 'band at="slope"'),
    ("end of a closing tag missing", "harm</note>", "harm</note"),
    ("angle bracket twice at the start", '<band at="slope"', '<<band at="slope"'),
    ("angle bracket twice at the end", '<band at="slope" holds="4"/>', '<band at="slope" holds="4"/>>'),
    ("closing quote missing", 'at="slope"', 'at="slope'),
    ("closing quote of the last attribute missing", 'holds="4"', 'holds="4'),
    ("opening quote missing", 'at="slope"', 'at=slope"'),
    ("both quotes missing", 'holds="4"', "holds=4"),
    ("different quotes", 'holds="4"', "holds=\"4'"),
    ("typographic quotes", 'holds="4"', "holds=\u201c4\u201d"),
    ("quote twice", 'holds="4"', 'holds="4""'),
    ("equals sign missing", 'holds="4"', 'holds"4"'),
    ("equals sign twice", 'holds="4"', 'holds=="4"'),
    ("value missing", 'holds="4"', "holds="),
    ("attribute without a value", 'holds="4"', "holds"),
    ("attribute twice", 'at="slope" holds="4"', 'at="slope" holds="4" holds="6"'),
    ("space between attributes missing", 'at="slope" holds', 'at="slope"holds'),
    ("bare ampersand in a text", "Rust does no harm", "Rust & salt do no harm"),
    ("bare ampersand in a value", 'kind="glass"', 'kind="glass & tin"'),
    ("bare angle bracket in a value", 'kind="glass"', 'kind="a<b"'),
    ("comment not closed", "<!-- rare -->", "<!-- rare"),
    ("comment not opened", "<!-- rare -->", "rare -->"),
    ("comment with two hyphens", "<!-- rare -->", "<!-- rare -- very -->"),
    ("comment with a wrong end", "<!-- rare -->", "<!-- rare ->"),
    ("comment inside a comment", "<!-- rare -->", "<!-- rare <!-- very --> -->"),
    ("CDATA not closed", "leaves]]></note>", "leaves</note>"),
    ("blank line above the declaration", '<?xml version="1.0"', '\n<?xml version="1.0"'),
    ("quote of the declaration missing", 'version="1.0"', 'version="1.0'),
    ("space inside a tag name", "<note>Rust", "<no te>Rust"),
    ("name that begins with a digit", '<band at="trench" holds="16"/>', '<2band at="trench" holds="16"/>'),
    ("text behind the root", "</finds>\n", "</finds>\nend\n"),
    ("a second root", "</finds>\n", "</finds>\n<more/>\n"),
]
