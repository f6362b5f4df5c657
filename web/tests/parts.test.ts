import { given, kept, nothingHeld, withLayer } from "../src/bench/choices/give-part";
import { isFound } from "../src/bench/choices/starters";
import { readSkyFile, starterFile } from "../src/data/starter-files";
import type { Starter } from "../src/data/api";
import { equal, test } from "./check";
import { grade, layer, sky } from "./samples";

const own = () => ({ ...sky([layer({ id: "deck" }), layer({ id: "veil" })]), schema: 2, grade: grade() });
const other = () => {
  const from = { ...sky([layer({ id: "deck", cover: 0.9 })]), grade: grade() };
  from.eye = { ...from.eye, heading_deg: 123 };
  return from;
};
const ids = (of: { clouds: { id: string }[] }) => of.clouds.map((l) => l.id);

test("a part is given, the rest stays", () => {
  equal(ids(given(own(), other(), "clouds")), ["deck"]);
  equal(ids(given(own(), other(), "air")), ["deck", "veil"]);
  equal(given(own(), other(), "all").eye.heading_deg, 123);
  const held = given(own(), other(), "all", { ...nothingHeld, viewpoint: true });
  equal(held.eye, own().eye, "what is held stays");
});

test("a starter of a layer comes as one more, with an id of its own", () => {
  const next = given(own(), kept(own(), "layer", "veil"), "layer");
  equal(ids(next), ["deck", "veil", "veil-2"]);
  const without = { ...own(), clouds: [] };
  equal(ids(given(without, other(), "layer")), ["deck"]);
});

test("a pinned layer comes back in its place, or as one more", () => {
  const back = withLayer(own(), other(), "deck");
  equal([ids(back), back.clouds[0]?.cover], [["deck", "veil"], 0.9]);
  equal(ids(withLayer({ ...own(), clouds: [] }, other(), "deck")), ["deck"]);
  equal(ids(withLayer(own(), other(), "gone")), ["deck", "veil"]);
});

const starter = (): Starter => ({
  slug: "x",
  own: true,
  name: "Evening lid",
  about: "flat and low",
  tags: ["north sea"],
  part: "clouds",
  document: own(),
});

test("files hold what was sent", () => {
  const read = readSkyFile(starterFile([starter(), { ...starter(), name: "Two" }]));
  if (!("starters" in read)) throw new Error("starters were sent");
  equal(
    read.starters.map((s) => [s.name, s.part, s.tags]),
    [
      ["Evening lid", "clouds", ["north sea"]],
      ["Two", "clouds", ["north sea"]],
    ],
  );
  equal(read.starters[0]?.document, own());
});

test("documents alone and shipped starters are read, others are told", () => {
  equal("document" in readSkyFile(JSON.stringify(own())), true);
  const shipped = readSkyFile(JSON.stringify({ name: "Clear", about: "", sky: own() }));
  equal("starters" in shipped && shipped.starters[0]?.part, "all");
  for (const text of ["no json", "[1]", "3", "{}"]) {
    let told = "";
    try {
      readSkyFile(text);
    } catch (e) {
      told = (e as Error).message;
    }
    equal(told !== "", true, text);
  }
});

test("starters are found by name, tag, line and part", () => {
  for (const typed of ["evening", "NORTH", "flat low", "clouds", "own lid", ""])
    equal(isFound(starter(), typed), true, typed);
  equal(isFound(starter(), "evening noon"), false);
});
