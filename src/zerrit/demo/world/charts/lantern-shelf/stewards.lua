-- Where the stewards are on this chart, and which way they look. Packed with the chart.
Scene.Stewards = {
  ["ST-01"] = { name = "Odile", x = 12.5, z = -4, facing = 90 },
  ["ST-02"] = { name = "Bram", x = 18, z = 6.5, facing = 270 },
  ["ST-03"] = { name = "Ysolde", x = -9, z = 14, facing = 180 },
  ["ST-04"] = { name = "Corwin", x = -21.5, z = -11, facing = 0 },
}

function Scene.steward_at(post)
  local found = Scene.Stewards[post]
  if found == nil then return nil end
  return found.name
end
