import { equal, test } from "./check";
import { layer, sky } from "./samples";
import { apply, changesOf, fieldName, merge } from "../src/data/changes";
import type { Sky } from "../src/data/sky";

const base = () => sky([layer({ id: "a" }), layer({ id: "b", base_m: 9000 })]);
const changed = (edit: (s: Sky) => void): Sky => {
  const next = base();
  edit(next);
  return next;
};
const cover = (to: number) => (s: Sky) => {
  for (const l of s.clouds) if (l.id === "a") l.cover = to;
};

test("changes put onto what they were made from give what they were made for", () => {
  const all = [
    changed(cover(0.9)),
    changed((s) => (s.clouds = [])),
    changed((s) => s.clouds.reverse()),
    changed((s) => s.clouds.push(layer({ id: "c" }))),
    changed((s) => s.clouds.splice(0, 1)),
    changed((s) => s.clouds.splice(1, 0, layer({ id: "between" }))),
    changed((s) => (s.eye.heading_deg = 200)),
  ];
  for (const from of [base(), ...all]) for (const to of all) equal(apply(from, changesOf(from, to)), to);
  equal(changesOf(base(), base()), []);
});

test("changes of different fields and layers are all kept", () => {
  const mine = changed((s) => {
    cover(0.9)(s);
    s.clouds.push(layer({ id: "mine" }));
  });
  const theirs = changed((s) => {
    s.eye.heading_deg = 77;
    s.clouds.push(layer({ id: "theirs" }));
  });
  const { merged, conflicts } = merge(base(), mine, theirs);
  equal(conflicts, []);
  equal(merged.eye.heading_deg, 77);
  equal(merged.clouds.map((l) => l.id).sort(), ["a", "b", "mine", "theirs"]);
  equal(merged.clouds.find((l) => l.id === "a")?.cover, 0.9);
});

test("only fields that both changed otherwise are asked about", () => {
  const { merged, conflicts } = merge(base(), changed(cover(0.9)), changed(cover(0.1)));
  equal(conflicts.map(fieldName), ["clouds, a, cover"]);
  equal(merged.clouds[0]?.cover, 0.1);
  equal(merge(base(), changed(cover(0.9)), changed(cover(0.9))).conflicts, []);
  // A layer that is gone there and changed here.
  const gone = merge(
    base(),
    changed(cover(0.9)),
    changed((s) => s.clouds.splice(0, 1)),
  );
  equal(gone.conflicts.map(fieldName), ["clouds, a, cover"]);
});
