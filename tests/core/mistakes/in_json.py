"""Mistakes that people make in JSON: what it is, the text that is replaced, and by what."""

BASE = """{
  "store": "Harbour Galley",
  "open": true,
  "keeper": {
    "name": "Oda",
    "berth": 14,
    "hours": [8, 12, 20]
  },
  "dishes": [
    {
      "name": "Kelp Broth",
      "price": 12,
      "tags": ["hot", "green"],
      "share": 0.25
    },
    {
      "name": "Eel Pie",
      "price": 30,
      "tags": ["hot"],
      "share": 0.5
    },
    {
      "name": "Ship Biscuit",
      "price": 3,
      "tags": [],
      "share": 0.25
    }
  ],
  "note": "The captain's table is \\"closed\\" on paydays",
  "until": null
}
"""

MISTAKES = [
    ("comma after a value missing", '"price": 30,', '"price": 30'),
    ("comma after a text missing", '"name": "Eel Pie",', '"name": "Eel Pie"'),
    ("comma between objects missing", '"share": 0.5\n    },', '"share": 0.5\n    }'),
    ("comma after a list missing", "  ],\n", "  ]\n"),
    ("comma after an object missing", "20]\n  },", "20]\n  }"),
    ("comma inside a list missing", "[8, 12, 20]", "[8 12, 20]"),
    ("comma after the last value", '"share": 0.5\n', '"share": 0.5,\n'),
    ("comma after the last object", '"share": 0.25\n    }\n  ],', '"share": 0.25\n    },\n  ],'),
    ("comma after the last member of the file", '"until": null', '"until": null,'),
    ("comma after the last item of a list", "[8, 12, 20]", "[8, 12, 20,]"),
    ("two commas", '"price": 30,', '"price": 30,,'),
    ("comma first in a list", "[8, 12, 20]", "[, 8, 12, 20]"),
    ("comma first in an object", '{\n      "name": "Eel', '{,\n      "name": "Eel'),
    ("semicolon for a comma", '"price": 30,', '"price": 30;'),
    ("full stop for a comma", '"name": "Eel Pie",', '"name": "Eel Pie".'),
    ("colon missing", '"price": 30', '"price" 30'),
    ("equals sign for a colon", '"price": 30', '"price"= 30'),
    ("two colons", '"price": 30', '"price":: 30'),
    ("closing quote of a text missing", '"Eel Pie"', '"Eel Pie'),
    ("opening quote of a text missing", '"Eel Pie"', 'Eel Pie"'),
    ("closing quote of a key missing", '"price": 30', '"price: 30'),
    ("opening quote of a key missing", '"price": 30', 'price": 30'),
    ("key without quotes", '"price": 30', "price: 30"),
    ("text without quotes", '"Eel Pie"', "Eel Pie"),
    ("single quotes", '"Eel Pie"', "'Eel Pie'"),
    ("typographic quotes", '"Eel Pie"', "\u201cEel Pie\u201d"),
    ("typographic quotes around a key", '"price": 30', "\u201cprice\u201d: 30"),
    ("quote inside a text", '"Eel Pie"', '"Eel "royal" Pie"'),
    ("backslash of a path", '"Eel Pie"', '"C:\\Eel Pie"'),
    ("closing brace deleted", '"share": 0.5\n    },', '"share": 0.5\n    ,'),
    ("closing brace of the file deleted", "null\n}\n", "null\n"),
    ("closing bracket of a list deleted", "[8, 12, 20]", "[8, 12, 20"),
    ("closing bracket of the entries deleted", "    }\n  ],", "    }\n  ,"),
    ("opening brace deleted", '    {\n      "name": "Eel Pie"', '    \n      "name": "Eel Pie"'),
    ("opening bracket deleted", "[8, 12, 20]", "8, 12, 20]"),
    ("brace for a bracket", "[8, 12, 20]", "[8, 12, 20}"),
    ("bracket for a brace", '"share": 0.5\n    },', '"share": 0.5\n    ],'),
    ("closing brace twice", '"share": 0.5\n    },', '"share": 0.5\n    }},'),
    ("brace too many at the end", "null\n}\n", "null\n}\n}\n"),
    ("value missing", '"price": 30,', '"price": ,'),
    ("word misspelled", '"open": true', '"open": ture'),
    ("word in capitals", '"open": true', '"open": True'),
    ("number with a comma", '"share": 0.5', '"share": 0,5'),
    ("number that begins with a point", '"share": 0.5', '"share": .5'),
    ("number with a leading zero", '"price": 30', '"price": 030'),
    ("number with a plus", '"price": 30', '"price": +30'),
    ("not a number", '"price": 30', '"price": NaN'),
    ("line comment", '"price": 30,', '"price": 30, // raised'),
    ("block comment", '"price": 30,', '/* raised */ "price": 30,'),
    ("comment with a hash", '"price": 30,', '"price": 30, # raised'),
    ("line break inside a text", '"Eel Pie"', '"Eel\nPie"'),
    ("key twice", '"price": 30,', '"price": 30,\n      "price": 31,'),
]
