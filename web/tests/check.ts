/** Little things that tests of the web's own sums need; `run.mjs` runs what is collected here. */

/** What pages keep things in; stores ask for it when they are loaded. */
const kept = new Map<string, string>();
Object.assign(globalThis, {
  localStorage: {
    getItem: (name: string) => kept.get(name) ?? null,
    setItem: (name: string, value: string) => kept.set(name, value),
    removeItem: (name: string) => kept.delete(name),
  },
});

export type Test = { name: string; run: () => void };

export const tests: Test[] = [];

export function test(name: string, run: () => void) {
  tests.push({ name, run });
}

export function equal(got: unknown, expected: unknown, about = "") {
  const [a, b] = [JSON.stringify(got), JSON.stringify(expected)];
  if (a !== b) throw new Error(`${about} ${a} for ${b}`);
}

export function near(got: number, expected: number, within: number, about = "") {
  if (!(Math.abs(got - expected) <= within)) throw new Error(`${about} ${got} for ${expected}`);
}

export function allNear(got: readonly number[], expected: readonly number[], within: number, about = "") {
  equal(got.length, expected.length, about);
  expected.forEach((v, i) => near(got[i] ?? NaN, v, within, `${about} [${i}]`));
}

/** Value of a list at a place that must be there. */
export function at<T>(list: readonly T[], i: number): T {
  const value = list[i];
  if (value === undefined) throw new Error(`nothing at ${i} of ${list.length}`);
  return value;
}
