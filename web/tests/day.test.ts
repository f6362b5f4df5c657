import { namePlaces, withRoom } from "../src/bench/day/labels";
import { equal, test } from "./check";

test("labels that would lie over others give way to those before them", () => {
  const labels = [
    { at: 100, text: "rise 06:00" },
    { at: 130, text: "noon 12:00" },
    { at: 300, text: "set 18:00" },
  ];
  equal(
    withRoom(labels, 0, 400).map((l) => l.text),
    ["rise 06:00", "set 18:00"],
  );
});

test("labels at the ends are pushed inside", () => {
  const [label] = withRoom([{ at: 2, text: "darkest 00:10" }], 0, 400);
  equal((label?.at ?? 0) > 40, true);
});

test("names of two curves with one peak stand apart", () => {
  const points = Array.from({ length: 101 }, (_, i) => i);
  const sun = (i: number): [number, number] => [4 * i, Math.abs(i - 50)];
  const moon = (i: number): [number, number] => [4 * i, 4 + Math.abs(i - 52)];
  const [a, b] = namePlaces(points, sun, moon);
  equal(a, [200, 0]);
  equal(Math.abs(b[0] - a[0]) > 70 || Math.abs(b[1] - a[1]) > 22, true);
});
