import { equal, near, test } from "./check";
import { readNumber, showNumber } from "../src/data/number";
import { scaleOf, shownUnit, STEPS, tidy } from "../src/data/scale";
import type { NumberField } from "../src/data/fields";

test("numbers are read as typed", () => {
  for (const [text, value] of [
    ["12", 12],
    [" 12.5 ", 12.5],
    ["12,5", 12.5],
    ["−3", -3],
    ["-3", -3],
    [".5", 0.5],
    ["1e3", 1000],
    ["2.5E-2", 0.025],
  ] as const)
    equal(readNumber(text, 7), value, text);
});

test("sums are worked out, products first", () => {
  equal(readNumber("1500/2", 0), 750);
  equal(readNumber("2+3*4", 0), 14);
  equal(readNumber("(2+3)*4", 0), 20);
  equal(readNumber("10-4-3", 0), 3);
  equal(readNumber("-(2+1)*-2", 0), 6);
  equal(readNumber("0.1+0.2", 0), 0.3, "no dust behind the comma");
});

test("changes are of the present value", () => {
  equal(readNumber("+10%", 750), 825);
  equal(readNumber("-25 %", 200), 150);
  equal(readNumber("*2", 21), 42);
  equal(readNumber("/4", 10), 2.5);
  equal(readNumber("+10", 750), 760, "more, as with percent");
  equal(readNumber("-10", 750), -10, "a negative number");
  equal(readNumber("-10", 750, false), 740, "less, where there are no negative numbers");
});

test("what says nothing is told", () => {
  for (const text of ["", "  ", "abc", "1/0", "(1", "1)", "1 2", "2*", "--", "%", "+%", "12 m"])
    equal(readNumber(text, 5), null, `"${text}"`);
});

test("numbers are shown with three or four digits", () => {
  for (const [value, text] of [
    [0, "0"],
    [1234.5, "1235"],
    [123.45, "123.5"],
    [12.345, "12.35"],
    [1.2345, "1.23"],
    [0.12345, "0.123"],
    [0.012345, "0.0123"],
    [0.0012345, "0.001234"],
    [-42, "-42"],
    [2.5e-6, "2.50e-6"],
    [3.2e9, "3.20e+9"],
  ] as const)
    equal(showNumber(value), text, String(value));
});

test("what is shown is read again as nearly the same", () => {
  for (let power = -3; power < 6; power += 1) {
    const value = 1.2345 * 10 ** power;
    near((readNumber(showNumber(value), 0) ?? NaN) / value, 1, 5e-3, showNumber(value));
  }
});

const field = (said: Partial<NumberField>) =>
  ({ soft: [0, 10], hard: [-Infinity, Infinity], log: false, whole: false, ...said }) as NumberField;

test("sliders go even or by ratios, and back", () => {
  const even = scaleOf(field({ soft: [10, 30] }));
  equal([even.place(10), even.place(20), even.place(30)], [0, STEPS / 2, STEPS]);
  const ratios = scaleOf(field({ soft: [1, 100], log: true }));
  near(ratios.place(10), STEPS / 2, 1e-9);
  near(ratios.value(STEPS / 4), Math.sqrt(10), 1e-9);
  for (const scale of [even, ratios])
    for (const place of [0, 123, 500, 1000]) near(scale.place(scale.value(place)), place, 1e-6);
  // Ratios have no zero: such a field goes even.
  near(scaleOf(field({ soft: [0, 4], log: true })).value(STEPS / 2), 2, 1e-12);
});

test("values from a slider are tidy", () => {
  equal(tidy(field({}), 1234.5678), 1235);
  equal(tidy(field({}), 0.123456), 0.1235);
  equal(tidy(field({ whole: true }), 2.6), 3);
});

test("shares are shown as percent", () => {
  equal(shownUnit("%"), { unit: "%", factor: 100 });
  equal(shownUnit("deg"), { unit: "°", factor: 1 });
  equal(shownUnit("km"), { unit: "km", factor: 1 });
});
