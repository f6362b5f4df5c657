import { allNear, at, equal, near, test } from "./check";
import { layer, sky } from "./samples";
import { useBench } from "../src/bench/store/bench-store";
import { hasSelected, layerOf, selectionOf, sunOf } from "../src/bench/store/selection";
import { partOf, resetOf, takes } from "../src/bench/sheet/parts";
import { stepName } from "../src/bench/sheet/rows/history-rows";
import { findCommands } from "../src/bench/shell/commands";
import { find, fogName, sunLine, sunName, type Group } from "../src/bench/sheet/document-rows";
import { bracket, deal } from "../src/bench/choices/offers";
import { atMinute, minuteOf, nearestOnPath, offsetOf } from "../src/bench/day/use-day";
import type { DayPoint, SkyRecord } from "../src/data/api";
import { toward } from "../src/data/camera";
import type { Field, NumberField, Schema } from "../src/data/fields";
import type { Sky } from "../src/data/sky";

/** What the page keeps unsaved changes in. */
const kept = new Map<string, string>();
Object.assign(globalThis, {
  localStorage: {
    getItem: (name: string) => kept.get(name) ?? null,
    setItem: (name: string, value: string) => kept.set(name, value),
    removeItem: (name: string) => kept.delete(name),
  },
});

const open = () => {
  useBench.getState().close();
  kept.clear();
  const document = sky([layer(), layer({ id: "veil", base_m: 9000 })], { heading_deg: 10 });
  useBench.getState().open({ id: "one", name: "One", revision: 1, document } as unknown as SkyRecord);
  return useBench.getState();
};
const heading = () => useBench.getState().sky?.eye.heading_deg;
const turn = (to: number) => (s: Sky) => {
  s.eye.heading_deg = to;
};

test("what is changed can be undone and done again", () => {
  const bench = open();
  bench.change(turn(20));
  bench.change(turn(30));
  equal([heading(), useBench.getState().past.length], [30, 2]);
  bench.undo();
  equal(heading(), 20);
  bench.undo();
  equal(heading(), 10);
  bench.undo();
  equal(heading(), 10, "there is nothing before the first");
  bench.redo();
  bench.redo();
  equal(heading(), 30);
  bench.undo();
  bench.change(turn(50));
  bench.redo();
  equal(heading(), 50, "a new change ends what could be done again");
});

test("a hand's whole way is one step", () => {
  const bench = open();
  for (const to of [12, 14, 18]) bench.change(turn(to), true);
  equal(useBench.getState().past.length, 0, "while it moves");
  bench.settle();
  equal(useBench.getState().past.length, 1);
  bench.undo();
  equal(heading(), 10);
  bench.change(turn(40), true);
  bench.change(turn(10), true);
  bench.settle();
  equal(useBench.getState().past.length, 0, "back where it began there is no step");
});

test("a change that changes nothing is none", () => {
  const bench = open();
  bench.change(turn(10));
  equal([useBench.getState().past.length, useBench.getState().saving.state], [0, "saved"]);
});

test("a document that is shown is never the one that was changed", () => {
  const bench = open();
  const before = useBench.getState().sky;
  bench.change(turn(77));
  equal(before?.eye.heading_deg, 10);
});

test("parts know their place in the document", () => {
  const { sky: shown } = open();
  if (!shown) throw new Error("nothing is open");
  equal(selectionOf(at(shown.clouds, 1)), "layer-veil");
  equal([layerOf("layer-veil", shown), layerOf("layer-gone", shown), layerOf("air", shown)], [1, -1, -1]);
  equal([sunOf("sun2"), sunOf("air"), sunOf(null)], [2, null, null]);
  equal([hasSelected(shown, "layer-veil"), hasSelected(shown, "layer-gone")], [true, false]);
  const dark = { ...shown, suns: [] };
  equal(
    [hasSelected(dark, "sun0"), hasSelected(dark, "sun3"), hasSelected(dark, "air")],
    [true, false, true],
  );
});

test("nine seeds are dealt, and then the next nine", () => {
  const here = sky([layer({ name: "Heaps", seed: 4 })]);
  const choice = deal("layer-heaps", here);
  equal(choice.title, "Deal: Heaps, seeds 5 to 13");
  equal(
    choice.options.map((o) => o.label),
    [5, 6, 7, 8, 9, 10, 11, 12, 13].map((n) => `seed ${n}`),
  );
  at(choice.options, 2).edit(here);
  equal(at(here.clouds, 0).seed, 7);
  equal(choice.more?.next().title, "Deal: Heaps, seeds 14 to 22");
});

const cover = {
  kind: "number",
  name: "cover",
  title: "Cover",
  help: "",
  unit: "%",
  soft: [0, 1],
  hard: [0, 1],
  byDefault: 0.5,
  log: false,
  whole: false,
} as NumberField;

test("a bracket is five values around the present one, inside the slider", () => {
  const here = sky([layer({ cover: 0.5 })]);
  const choice = bracket(cover, 0.5, (s) => s.clouds[0]);
  equal(
    choice.options.map((o) => o.label),
    ["25 %", "37.5 %", "50 %", "62.5 %", "75 %"],
  );
  equal(
    choice.options.map((o) => o.now),
    [false, false, true, false, false],
  );
  at(choice.options, 4).edit(here);
  equal(at(here.clouds, 0).cover, 0.75);
  equal(
    choice.more?.next().options.map((o) => o.label),
    ["0 %", "25 %", "50 %", "75 %", "100 %"],
  );
  const low = bracket(cover, 0, (s) => s.clouds[0]);
  equal(
    low.options.map((o) => o.label),
    ["0 %", "12.5 %", "25 %", "37.5 %", "50 %"],
  );
});

const field = (name: string, title: string, help = "") =>
  ({ kind: "switch", name, title, help }) as unknown as Field;
const group = (owner: string, ...fields: Field[]): Group => ({
  selection: "air",
  owner,
  fields,
  of: {},
  edit: () => undefined,
});

test("rows are found by title, by owner and by a painter's words", () => {
  const groups = [
    group(
      "Air",
      field("ozone_du", "Ozone"),
      field("visibility_km", "Visibility", "How far dark hills are seen."),
    ),
    group("Sun", field("angular_diameter_deg", "Width"), field("elevation_deg", "Height")),
  ];
  const found = (typed: string) => find(groups, typed).map((g) => g.fields[0]?.name);
  equal(found("ozo"), ["ozone_du"]);
  equal(found("softer shadows"), ["angular_diameter_deg"]);
  equal(found("redder"), ["elevation_deg"]);
  equal(found("sun"), ["angular_diameter_deg", "elevation_deg"]);
  equal(found("sun height"), ["elevation_deg"]);
  equal(found("hills"), ["visibility_km"]);
  equal([found("xyz"), found("  ")], [[], []]);
});

/** WMO, International Cloud Atlas: fog under 1 km, mist from there to 5 km. */
test("what lies low is named by how far one sees", () => {
  equal([0.3, 1, 5, 8].map(fogName), ["Fog", "Mist", "Mist", "Haze"]);
});

test("a sun is told by its height and colour", () => {
  const suns = [
    { placement: { by: "hand", elevation_deg: 12.5 }, colour: { by: "temperature", kelvin: 5772 } },
  ];
  const one = { suns } as unknown as Sky;
  equal(sunLine(one, 0), "12.5° high, 5772 K");
  equal([sunLine(one, 1), sunName(one, 0)], ["", "Sun"]);
  equal(sunName({ suns: [...suns, ...suns] } as unknown as Sky, 1), "Sun 2");
});

test("minutes of a day keep its date and offset", () => {
  equal(offsetOf("2026-06-21T05:00:00+02:00"), "+02:00");
  equal(offsetOf("2026-06-21T05:00:00Z"), "Z");
  equal(minuteOf("2026-06-21T05:42:00-03:00"), 342);
  equal(atMinute("2026-06-21T05:00:00-03:00", 61.4), "2026-06-21T01:01:00-03:00");
  equal(atMinute("2026-06-21T05:00:00Z", 5000), "2026-06-21T23:59:00Z");
  equal(atMinute("2026-06-21T05:00:00Z", -3), "2026-06-21T00:00:00Z");
});

const day = Array.from({ length: 73 }, (_, i) => {
  const hour = 6 + i / 6;
  return {
    minute: hour * 60,
    sun_azimuth_deg: 90 + 15 * (hour - 6),
    sun_elevation_deg: 50 * Math.sin((Math.PI * (hour - 6)) / 12),
    moon_azimuth_deg: 0,
    moon_elevation_deg: -20,
  } as unknown as DayPoint;
});

test("a light that is dragged is put where its path comes nearest", () => {
  const noon = nearestOnPath(day, "sun", 0, toward(180, 50));
  allNear([noon.minute, noon.apart], [720, 0], 1e-6);
  const turned = nearestOnPath(day, "sun", 30, toward(210, 50));
  near(turned.minute, 720, 1e-6, "north is turned");
  const above = nearestOnPath(day, "sun", 0, toward(180, 80));
  near(above.minute, 720, 1, "over the path");
  near(above.apart, 30, 0.01);
  const morning = nearestOnPath(day, "sun", 0, toward(90, -10));
  near(morning.minute, 360, 1e-6, "before its first point");
});

test("a step of history is told by what it changed", () => {
  const before = { air: { visibility_km: 90, ozone_du: 300 }, clouds: [layer({ id: "deck", name: "Deck" })] };
  const after = structuredClone(before);
  after.air.visibility_km = 12;
  const [a, b] = [before, after] as unknown as [Sky, Sky];
  equal(stepName(a, b), "air, visibility km: 12");
  // Documents do not change: what lies between two is found once.
  const further = structuredClone(after);
  further.air.ozone_du = 200;
  equal(stepName(a, further as unknown as Sky), "air, visibility km: 12, and 1 more");
  const bare = { ...before, clouds: [] } as unknown as Sky;
  equal(stepName(a, bare), "Deck deleted");
});

test("commands are found by what they are called and by what others call them", () => {
  const done: string[] = [];
  const commands = [
    { title: "Bake…", words: "export render", run: () => done.push("bake") },
    { title: "Levels", words: "histogram", run: () => done.push("levels") },
  ];
  equal(
    findCommands(commands, "exp").map((c) => c.title),
    ["Bake…"],
  );
  equal(
    findCommands(commands, "hist").map((c) => c.title),
    ["Levels"],
  );
  equal([findCommands(commands, ""), findCommands(commands, "export histogram")], [[], []]);
});

test("parts go back to what is usual and are taken where they fit", () => {
  const schema = {
    $defs: { Air: { properties: { ozone_du: { default: 300 }, visibility_km: { default: 60 } } } },
    usual: { cumulus_mediocris: layer({ cover: 0.4 }) },
  } as unknown as Schema;
  const deck = layer({ id: "deck", name: "Deck", seed: 9, cover: 0.9, slide_east_m: 50 });
  const own = { air: { ozone_du: 20, visibility_km: 3 }, suns: [], clouds: [deck] } as unknown as Sky;
  resetOf(own, "air", schema)?.(own);
  equal(own.air, { ozone_du: 300, visibility_km: 60 });
  resetOf(own, "layer-deck", schema)?.(own);
  const { id, name, seed, cover, slide_east_m } = at(own.clouds, 0);
  equal([id, name, seed, cover, slide_east_m], ["deck", "Deck", 9, 0.4, 50]);
  equal(resetOf(own, "history", schema), null);
  equal(partOf(own, "layer-deck")?.kind, "layer");
  const part = { kind: "layer", value: deck };
  equal([takes(own, "clouds", part), takes(own, "air", part), takes(own, "air", null)], [true, false, false]);
});
