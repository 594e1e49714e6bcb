-- pits
local pits = {
  amber = { depth = 38, grade = "a", crew = { 4, 3 } },
  birch = { depth = 4, grade = "a", crew = { 2, 5 } },
  cedar = { depth = 32, grade = "c", crew = { 3, 3 } },
  dew = { depth = 3, grade = "b", crew = { 4, 2 } },
  elm = { depth = 28, grade = "c", crew = { 5, 1 } },
  fern = { depth = 14, grade = "c", crew = { 5, 3 } },
  glade = { depth = 7, grade = "b", crew = { 3, 1 } },
  hazel = { depth = 25, grade = "b", crew = { 3, 4 } },
  iris = { depth = 8, grade = "a", crew = { 3, 1 } },
  juniper = { depth = 4, grade = "c", crew = { 2, 3 } },
  kale = { depth = 33, grade = "a", crew = { 5, 5 } },
  larch = { depth = 34, grade = "a", crew = { 3, 2 } },
  moss = { depth = 29, grade = "b", crew = { 3, 5 } },
  nettle = { depth = 9, grade = "a", crew = { 5, 5 } },
  oak = { depth = 14, grade = "a", crew = { 5, 3 } },
  pine = { depth = 21, grade = "c", crew = { 2, 4 } },
  quince = { depth = 32, grade = "a", crew = { 2, 5 } },
  reed = { depth = 15, grade = "c", crew = { 5, 1 } },
  deepest = { depth = 14, grade = "a", crew = { 1, 3 } },
}
return pits
