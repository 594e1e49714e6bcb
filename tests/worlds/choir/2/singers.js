// Who sings what.
const PITCH = 440;
export const singers = {
  ada: { voice: "soprano", pay: 3, songs: ["Aubade", "Carol"], away: false },
  bo: { voice: "tenor", pay: 2, songs: ["Dirge", "Fugue"], away: false },
  cy: { voice: "bass", pay: 5, songs: ["Barcarole"], away: false },
  di: { voice: "alto", pay: 4, songs: ["Glee", "Hymn", "Jig"], away: false },
  ed: { voice: "tenor", pay: 1, songs: [], away: true },
  flo: { voice: "soprano", pay: 2, songs: ["Idyll", "Elegy"], away: false },
  gus: { voice: "bass", pay: 3, songs: ["Jig", "Fugue"], away: false },
  hal: { voice: "alto", pay: 2, songs: ["Knell"], away: false },
};

function sing(name, { loud = false } = {}) {
  const found = singers[name];
  if (!found) { return null; }
  return found.songs.map((song) => `${song} at ${loud ? PITCH * 2 : PITCH}`);
}

register("evenings", {
  doors: 18,
  ends: 23,
  breaks: [[19, 20], [21, 22]],
  opener: "Aubade",
});
module.exports = { sing, singers };
