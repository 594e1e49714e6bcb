// How the belts run.
const SPEED = 1.5;
export const belts = {
  north: { length: 40, items: ["lid", "jar"], motor: 'a"b' },
  south: { length: 30, items: [], motor: null },
  "old one": { length: 8, items: ["crate"], broken: true },
};

function start(belt, { slow = false } = {}) {
  if (!/^[a-z{]+$/.test(belt)) {
    return { ok: false };
  }
  const plan = { belt: belt, speed: slow ? SPEED / 2 : SPEED };
  return run(plan, (step) => { console.log(`step ${step}`); });
}

register("belts", {
  version: 3,
  start() {
    return belts;
  },
  hours: [[7, 12], [13, 18]],
});
module.exports = { start, belts };
