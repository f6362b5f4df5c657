import { allNear, at, equal, near, test } from "./check";
import { layer, region, sky } from "./samples";
import { addLayer, fromTheTop, kindAt } from "../src/bench/layers/layers";
import { setThickness, thicknessOf } from "../src/bench/layers/thickness";
import {
  cornersOf,
  drawnRegion,
  fromPlan,
  middleOf,
  newRegion,
  tieOf,
  type Km,
} from "../src/bench/layers/regions/shapes";
import { toward } from "../src/data/camera";
import { fieldsOf, words, type Schema } from "../src/data/fields";
import type { CloudKind, CloudLayer } from "../src/data/sky";

const schema = { $defs: {}, ice: ["cirrus_fibratus"] } as unknown as Schema;

/**
 * Optical thickness is 3 W / (2 rho r) for a water path W and an effective radius r (Stephens 1978, eq. 7).
 */
test("thickness follows from water, drops and depth", () => {
  near(thicknessOf(schema, layer()), (1.5 * 0.3 * 1000) / 10, 1e-9);
  const ice = layer({ kind: "cirrus_fibratus", droplet_um: 30, water_content_g_m3: 0.02 });
  near(thicknessOf(schema, ice), (1.5 * 0.02 * 1000) / (0.917 * 30), 1e-9);
  near(thicknessOf(schema, layer({ unevenness: 1 })), 22.5, 1e-9);
});

test("a drawn profile thins the column as its mean says", () => {
  const profile = [
    { height: 1, density: 0 },
    { height: 0, density: 1 },
  ];
  near(thicknessOf(schema, layer({ profile })), 22.5, 0.05);
  near(thicknessOf(schema, layer({ profile: [{ height: 0.3, density: 0.2 }] })), 9, 1e-6);
});

test("a thickness that is set is there, as far as water goes", () => {
  const set = layer();
  setThickness(schema, set, 12);
  near(thicknessOf(schema, set), 12, 1e-3);
  setThickness(schema, set, 1e6);
  equal(set.water_content_g_m3, 10);
});

test("added layers have names and seeds of their own", () => {
  const here = sky([layer()]);
  const second = addLayer(here, layer(), "heaps");
  const third = addLayer(here, layer(), "heaps");
  equal([second.id, third.id], ["heaps-2", "heaps-3"]);
  equal([second.seed, third.seed], [2, 3]);
  const veil = addLayer(here, layer({ kind: "cirrus_fibratus" as CloudKind }), "veil");
  equal([veil.id, veil.seed], ["veil", 1]);
  const given = layer();
  equal(addLayer(here, given, "own") === given, false, "what is given stays as it is");
});

test("layers are listed from the top", () => {
  const names = (layers: CloudLayer[]) => layers.map((l) => l.id);
  const low = layer({ id: "low" });
  const tall = layer({ id: "tall", base_m: 900, depth_m: 9000 });
  const high = layer({ id: "high", base_m: 8000, depth_m: 500 });
  const here = sky([low, tall, high]);
  equal(names(fromTheTop(here)), ["tall", "high", "low"]);
  equal(names(here.clouds), ["low", "tall", "high"], "the document keeps its order");
});

test("the kind at an altitude is the one whose middle is nearest", () => {
  const usual = {
    stratus: layer({ base_m: 200, depth_m: 300 }),
    altocumulus: layer({ base_m: 3500, depth_m: 400 }),
    cirrus_fibratus: layer({ base_m: 9000, depth_m: 1500 }),
  } as unknown as Record<CloudKind, CloudLayer>;
  equal(
    [50, 500, 3000, 12_000].map((a) => kindAt(usual, a)),
    ["stratus", "stratus", "altocumulus", "cirrus_fibratus"],
  );
});

const here = sky([], { heading_deg: 90, altitude_m: 500 });

test("regions stand where they are tied", () => {
  const ahead = region({ north_km: 10, tied_to: "eye" });
  allNear(middleOf(ahead, tieOf(ahead, layer(), here, undefined)), [10, 0], 1e-9, "ahead is east");
  const fixed = region({ north_km: 10, east_km: 3 });
  allNear(middleOf(fixed, tieOf(fixed, layer(), here, undefined)), [3, 10], 1e-9);
  // From 500 m to the middle of the layer at 1500 m, toward a sun at 45 degrees in the south: 1 km.
  const sunward = region({ tied_to: "sun" });
  allNear(middleOf(sunward, tieOf(sunward, layer(), here, toward(180, 45))), [0, -1], 1e-9);
  const low = tieOf(sunward, layer(), here, toward(270, -5));
  allNear(low.from, [-150, 0], 1e-6, "as far as regions go");
});

test("what is dragged on the plan is what the region says", () => {
  for (const tied_to of ["eye", "sun", "ground"] as const) {
    const one = region({ tied_to, east_km: 4.5, north_km: -2.25 });
    const tie = tieOf(one, layer(), here, toward(133, 20));
    allNear(fromPlan(middleOf(one, tie), tie), [4.5, -2.25], 0.006, tied_to);
  }
});

test("outlines have their corners", () => {
  const tie = { from: [0, 0] as Km, heading: 0 };
  const disc = cornersOf(region({ outline: { shape: "disc", radius_km: 5 }, east_km: 2 }), tie);
  equal(disc.length, 48);
  for (const [x, y] of disc) near(Math.hypot(x - 2, y), 5, 1e-9);
  const wedge = cornersOf(region({ outline: { shape: "wedge", width_deg: 60 } }), tie);
  allNear(at(wedge, 0), [0, 0], 1e-12);
  for (const [x, y] of wedge.slice(1)) if (Math.abs(Math.atan2(x, y)) > 0.524) throw new Error(`${x} ${y}`);
  const band = cornersOf(region({ outline: { shape: "band", width_km: 4 }, turn_deg: 90 }), tie);
  for (const [, y] of band) near(Math.abs(y), 2, 1e-9, "turned, a band lies along the east");
});

test("new regions are a few cells wide and open what is closed", () => {
  equal(newRegion("disc", layer()).outline, { shape: "disc", radius_km: 4 });
  equal(newRegion("wedge", layer()).outline, { shape: "wedge", width_deg: 60 });
  equal([newRegion("band", layer()).change, newRegion("band", layer({ cover: 0.8 })).change], [0.5, -1]);
});

test("a drawn outline lies about its own middle, thinned", () => {
  const drawn: Km[] = Array.from({ length: 600 }, (_, i) => [
    10 + 3 * Math.cos(i / 95.5),
    -4 + 3 * Math.sin(i / 95.5),
  ]);
  const made = drawnRegion(drawn, layer());
  if (!made || made.outline.shape !== "freehand") throw new Error("no outline");
  near(made.east_km, 10, 0.05);
  near(made.north_km, -4, 0.05);
  equal(made.outline.corners_km.length, 60);
  for (const [x, y] of made.outline.corners_km) near(Math.hypot(x ?? 0, y ?? 0), 3, 0.06);
  equal(drawnRegion(drawn.slice(0, 2), layer()), null, "two corners are no outline");
});

test("fields are read from the schema", () => {
  const read = {
    $defs: {
      Thing: {
        properties: {
          depth_m: { type: "number", title: "Depth", unit: "m", soft: [10, 100], scale: "log", minimum: 0 },
          count: { type: "integer" },
          shown: { type: "boolean", description: "Whether it is seen." },
          tint: { $ref: "#/$defs/Tint" },
          kind: { $ref: "#/$defs/Kind" },
          parts: { type: "array" },
        },
      },
      Tint: { format: "colour" },
      Kind: { enum: ["one_sort", "other"] },
    },
  } as unknown as Schema;
  const fields = fieldsOf(read, "Thing");
  equal(
    fields.map((f) => [f.name, f.kind]),
    [
      ["depth_m", "number"],
      ["count", "number"],
      ["shown", "switch"],
      ["tint", "colour"],
      ["kind", "choice"],
    ],
  );
  const [depth, count, shown, , kind] = fields;
  if (depth?.kind !== "number" || count?.kind !== "number" || kind?.kind !== "choice")
    throw new Error("kinds");
  equal([depth.title, depth.unit, depth.log, depth.soft, depth.hard[0]], ["Depth", "m", true, [10, 100], 0]);
  equal([count.whole, count.title], [true, "count"]);
  equal(shown?.help, "Whether it is seen.");
  equal(
    kind.options.map((o) => o.title),
    ["One sort", "Other"],
  );
  equal(fieldsOf(read, "Nothing"), []);
  equal(words("desert_dust"), "Desert dust");
});
