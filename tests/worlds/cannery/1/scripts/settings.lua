-- What the cannery does by itself.
local Settings = require("base.settings")

Settings.Hands = 12 -- how many work at one belt
Settings["Night Shift"] = false
feature = {
  shipments = true,
  steam_whistle = "at noon",
  ["slow lids"] = false,
}

--[[ Prices are in tokens.
     { nothing in here is read }
]]
Market.Stalls = {
  ["quay"] = { price = 5, owner = "Ada", wares = { "herring", "sprat" } },
  ["pier"] = { price = 7, owner = 'Bo', wares = { "eel" } }, -- closed in winter
  -- The oldest stall of all.
  ["mole"] = {
    price = 11,
    owner = "Cy",
    wares = {},
    open = { from = 6, to = 18 };
  },
}

local crates = {
  { id = "kx1", size = 4, price = 30 },
  { id = "kx2", size = 6, price = 45, note = [[stack
no more than three]] },
  { id = "kx3", size = 9, price = base * 2 + fee(3), limit = nil },
}

function Settings.price(name)
  local found = Market.Stalls[name]
  if found then
    for _, ware in ipairs(found.wares) do print(ware) end
    return found.price
  end
  return -1
end

AddRecipe("pickled herring", {
  salt = 2,
  jars = 1,
  on_done = function(crew) if crew then crew:cheer() end end,
})
AddRecipe("smoked eel", { salt = 1, wood = 3 })

return Settings
