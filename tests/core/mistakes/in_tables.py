"""Mistakes that people make in the tables of scripts: what it is, the text that is replaced, and by what."""

LUA = """-- what the quay sells
local fee = 2
Quay.Open = true -- not in winter

Quay.Stalls = {
  ["north"] = { price = 5, owner = "Ada", wares = { "herring", "sprat" } },
  ["south"] = {
    price = 7,
    owner = "Bo",
    wares = { "eel", },
    open = { from = 6, to = 18 },
    -- paid by the hour
    helpers = 2,
  },
  ["mole"] = { price = base * 2, owner = 'Cy', wares = {} },
}

local crates = {
  { id = "kx1", size = 4, price = 30, weight = 1.5 },
  { id = "kx2", size = 6, price = 45, weight = 2 },
  { id = "kx3", size = 9, price = -1, weight = 12 },
}

function Quay.price(name)
  local found = Quay.Stalls[name]
  if found then
    return found.price + fee
  end
  return 0
end

AddRecipe("pickled herring", {
  salt = 2,
  jars = 1,
  on_done = function(crew) crew:cheer() end,
})
return Quay
"""

JAVASCRIPT = """// how the belts run
const SPEED = 1.5;
export const belts = {
  north: { length: 40, items: ["lid", "jar"], motor: 'a' },
  south: {
    length: 25,
    items: [],
    hours: [[6, 12], [13, 18]],
    "paint job": null,
  },
};

register("belts", {
  version: 3,
  start() {
    return belts;
  },
  quiet: false,
});
"""

MISTAKES = [
    ("a.lua", "comma missing between entries in lines", "price = 7,\n", "price = 7\n"),
    ("a.lua", "comma missing between entries of one line", 'price = 5, owner', "price = 5 owner"),
    ("a.lua", "comma missing behind a text", 'owner = "Bo",\n', 'owner = "Bo"\n'),
    ("a.lua", "comma missing behind a table", "18 },\n", "18 }\n"),
    ("a.lua", "comma missing between tables of a list", "weight = 1.5 },\n", "weight = 1.5 }\n"),
    ("a.lua", "comma missing between texts of a list", '"herring", "sprat"', '"herring" "sprat"'),
    ("a.lua", "comma missing behind what is worked out", "base * 2, owner", "base * 2 owner"),
    ("a.lua", "comma missing behind a comment", "helpers = 2,\n", "helpers = 2 helpers_pay = 3,\n"),
    ("a.lua", "comma missing before an entry in brackets", "sprat\" } },\n", 'sprat" } }\n'),
    ("a.lua", "comma missing in a call", "salt = 2,\n", "salt = 2\n"),
    ("a.lua", "comma missing before a function", "jars = 1,\n", "jars = 1\n"),
    ("a.lua", "comma twice", "size = 4, price", "size = 4,, price"),
    ("a.lua", "comma at the beginning", '{ id = "kx1"', '{ , id = "kx1"'),
    ("a.lua", "full stop for a comma", "size = 6, price", "size = 6. price"),
    ("a.lua", "sign missing", "helpers = 2", "helpers 2"),
    ("a.lua", "colon for the sign", "helpers = 2", "helpers: 2"),
    ("a.lua", "colon for the sign before a text", 'owner = "Bo"', 'owner: "Bo"'),
    ("a.lua", "sign twice", "helpers = 2", "helpers == 2"),
    ("a.lua", "value missing", "helpers = 2,", "helpers = ,"),
    ("a.lua", "value missing at the end", "weight = 12 }", "weight = }"),
    ("a.lua", "brace of an entry not closed", "weight = 2 },", "weight = 2 ,"),
    ("a.lua", "brace of an entry over lines not closed", "helpers = 2,\n  },\n", "helpers = 2,\n"),
    ("a.lua", "brace of an inner table not closed", "to = 18 },", "to = 18 ,"),
    ("a.lua", "brace of a list not closed", '"sprat" } },', '"sprat" },'),
    ("a.lua", "brace of an entry not opened", '["south"] = {\n', '["south"] =\n'),
    ("a.lua", "brace too many", "weight = 2 },", "weight = 2 } },"),
    ("a.lua", "bracket of a name not closed", '["north"] =', '["north" ='),
    ("a.lua", "quote of a text not closed", 'owner = "Bo"', 'owner = "Bo'),
    ("a.lua", "quote of a text not opened", 'owner = "Bo"', 'owner = Bo"'),
    ("a.lua", "different quotes", "'Cy'", "'Cy\""),
    ("a.lua", "quote of a name not closed", '["mole"]', '["mole]'),
    ("a.lua", "typographic quotes", '"Bo"', "\u201cBo\u201d"),
    ("a.lua", "field twice", "price = 5, owner", "price = 5, price = 6, owner"),
    ("a.lua", "entry twice", '["mole"]', '["north"]'),
    ("a.lua", "end of a function missing", "crew:cheer() end,", "crew:cheer(),"),
    ("a.lua", "end of a block missing", "+ fee\n  end\n", "+ fee\n"),
    ("a.lua", "end too many", "return 0\nend\n", "return 0\nend\nend\n"),
    ("a.lua", "bracket for a brace", "to = 18 },", "to = 18 ],"),
    ("a.lua", "parenthesis of the call not closed", "end,\n})\n", "end,\n}\n"),
    ("a.js", "comma missing between entries in lines", "length: 25,\n", "length: 25\n"),
    ("a.js", "comma missing between entries of one line", "length: 40, items", "length: 40 items"),
    ("a.js", "comma missing between texts of a list", '"lid", "jar"', '"lid" "jar"'),
    ("a.js", "comma missing behind an object", "motor: 'a' },\n", "motor: 'a' }\n"),
    ("a.js", "comma missing behind a list", "items: [],\n", "items: []\n"),
    ("a.js", "comma missing between numbers", "[13, 18]", "[13 18]"),
    ("a.js", "comma missing behind a method", "  },\n  quiet", "  }\n  quiet"),
    ("a.js", "sign of another language", "length: 25", "length = 25"),
    ("a.js", "sign missing", "length: 25", "length 25"),
    ("a.js", "value missing", "version: 3", "version: "),
    ("a.js", "field twice", "quiet: false", "version: false"),
    ("a.js", "brace not closed", "motor: 'a' },", "motor: 'a' ,"),
    ("a.js", "bracket of a list not closed", "[13, 18]]", "[13, 18]"),
    ("a.js", "quote of a text not closed", "'a'", "'a"),
]  # fmt: skip
