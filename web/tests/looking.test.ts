import { at, equal, test } from "./check";
import { arrowOf } from "../src/ui/arrow-keys";
import { copied, copyPart } from "../src/bench/sheet/parts";
import { useNotices } from "../src/ui/notices";
import { useLooking, type Reading } from "../src/bench/store/looking";
import { layer, sky } from "./samples";

const reading = (stops: number): Reading => ({
  direction: [0, 1, 0],
  luminance: 1,
  display: [1, 1, 1],
  stops,
});

test("two readings are kept, the newest last", () => {
  const { point, keepReading, dropReadings } = useLooking.getState();
  keepReading();
  equal(useLooking.getState().readings, [], "nothing is pointed at");
  for (const stops of [1, 2, 3]) {
    point(reading(stops));
    keepReading();
  }
  equal(
    useLooking.getState().readings.map((r) => r.stops),
    [2, 3],
  );
  dropReadings();
  equal(useLooking.getState().readings, []);
});

test("each guide has a switch and a weight of its own", () => {
  const { setGuide, turn } = useLooking.getState();
  setGuide("thirds", { on: true });
  setGuide("horizon", { weight: 3 });
  const { guides } = useLooking.getState();
  equal(
    [guides.thirds, guides.horizon],
    [
      { on: true, weight: 1 },
      { on: false, weight: 3 },
    ],
  );
  turn("falseColour");
  equal(useLooking.getState().falseColour, true);
  turn("falseColour");
});

test("what is kept in the browser leaves out what is only now", () => {
  useLooking.getState().turn("panorama");
  const options = useLooking.persist.getOptions();
  const kept = options.partialize?.(useLooking.getState()) as Record<string, unknown>;
  equal(Object.keys(kept).sort(), ["clipped", "falseColour", "guides", "levels"]);
  useLooking.getState().turn("panorama");
  // Kept by an older version, without a guide that there is now.
  const usual = useLooking.getState();
  const merged = options.merge?.({ guides: { centre: { on: true, weight: 2 } } }, usual);
  equal([merged?.guides.centre.on, merged?.guides.title.weight], [true, usual.guides.title.weight]);
});

test("what was copied last is what is pasted", () => {
  const own = { ...sky([layer({ id: "deck" }), layer({ id: "veil" })]), suns: [] };
  copyPart(own, "layer-veil");
  equal([copied()?.kind, (copied()?.value as { id: string }).id], ["layer", "veil"]);
  if (copied() !== copied()) throw new Error("it is read once");
  copyPart(own, "eye");
  equal(copied()?.kind, "eye");
  copyPart(own, "history");
  equal(copied()?.kind, "eye", "the history is no part");
  equal(useNotices.getState().list[0]?.words.startsWith("Copied: eye"), true);
});

test("arrows move to the right and up", () => {
  equal(["ArrowRight", "ArrowLeft", "ArrowUp", "ArrowDown"].map(arrowOf), [
    [1, 0],
    [-1, 0],
    [0, 1],
    [0, -1],
  ]);
  equal(arrowOf("Enter"), undefined);
  equal(at(arrowOf("ArrowUp") ?? [], 1), 1);
});
