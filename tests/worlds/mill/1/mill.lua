-- How the mill runs.
local Mill = require("mill.base")

Mill.Title = "Three Stones"
Mill.Hands = 9 -- in the day
Mill.Night = false

Mill.Stones = {
  north = { speed = 90, grain = "wheat", hours = 12, open = { from = 6, to = 18 } },
  south = { speed = 75, grain = "rye", hours = 10, open = { from = 6, to = 16 } },
  river = { speed = 110, grain = "barley", hours = 14, open = { from = 6, to = 20 } },
  old = { speed = 60, grain = "oats", hours = 8, open = { from = 6, to = 14 } },
  twin = { speed = 95, grain = "maize", hours = 12, open = { from = 6, to = 18 } },
  spare = { speed = 70, grain = "spelt", hours = 9, open = { from = 6, to = 15 } },
}

-- What is ground, and into what.
Mill.Flours = {
  { name = "fine", from = "wheat", sieves = 3, price = 9.5 },
  { name = "dark", from = "rye", sieves = 2, price = 6.0 },
  { name = "rough", from = "barley", sieves = 1, price = 5.5 },
  { name = "feed", from = "oats", sieves = 1, price = 3.75 },
  { name = "golden", from = "maize", sieves = 2, price = 5.25 },
  { name = "noble", from = "spelt", sieves = 3, price = 13.5 },
  { name = "small", from = "millet", sieves = 2, price = 10.0 },
  { name = "grey", from = "buckwheat", sieves = 2, price = 14.25 },
}

function Mill.yield(stone, grain)
  local found = Mill.Stones[stone]
  if not found then return 0 end
  return found.speed * (grain.weight / 100)
end

return Mill
