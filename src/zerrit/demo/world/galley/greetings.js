// What the stewards say, and what they praise.
export const greetings = {
  Odile: { says: "Mind the step.", at: "breakfast" },
  Bram: { says: "Pumps are fine, thank you.", at: "noon" },
  Ysolde: { says: "Sit where you like.", at: "evening" },
  Corwin: { says: "Quiet, the night watch sleeps.", at: "night" },
};
export const praise = {
  "Black Tea": "hot, and never early",
  "Dulse Broth": "of this morning's dulse",
  "Ginger Cordial": "against the cold of the deep",
};

function greet(steward) {
  const found = greetings[steward];
  return found ? `${steward}: ${found.says}` : "";
}
