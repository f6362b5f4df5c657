/**
 * What differs between two documents, field by field, and how differences are put onto another one.
 *
 * Lists whose entries have ids (cloud layers) are compared by them; other lists of one length place by
 * place; all else is one value.
 */

/** A name of a field, a place in a list, or the id of an entry behind a `#`. */
export type Step = string | number;
/** A field with its new value; `undefined` where it is gone. `order`: ids of a list, in their order. */
export type Change = { path: Step[]; value?: unknown; order?: string[] };

type Entry = { id: string } & Record<string, unknown>;
type Dict = Record<string, unknown>;

const isObject = (v: unknown): v is Dict => typeof v === "object" && v !== null && !Array.isArray(v);
const isList = (v: unknown): v is Entry[] =>
  Array.isArray(v) && v.length > 0 && v.every((e) => isObject(e) && typeof e.id === "string");
const same = (a: unknown, b: unknown) => JSON.stringify(a) === JSON.stringify(b);
const ids = (list: Entry[]) => list.map((e) => e.id);

/** What makes `to` of `from`. */
export function changesOf(from: unknown, to: unknown, path: Step[] = []): Change[] {
  if (same(from, to)) return [];
  if (isObject(from) && isObject(to)) {
    const names = [...new Set([...Object.keys(from), ...Object.keys(to)])];
    return names.flatMap((name) => changesOf(from[name], to[name], [...path, name]));
  }
  const lists = (isList(from) || same(from, [])) && (isList(to) || same(to, []));
  if (lists && (isList(from) || isList(to))) {
    const [a, b] = [from as Entry[], to as Entry[]];
    const entry = (list: Entry[], id: string) => list.find((e) => e.id === id);
    const all = [...new Set([...ids(a), ...ids(b)])];
    const changes = all.flatMap((id) => changesOf(entry(a, id), entry(b, id), [...path, `#${id}`]));
    return same(ids(a), ids(b)) ? changes : [...changes, { path, order: ids(b) }];
  }
  if (Array.isArray(from) && Array.isArray(to) && from.length === to.length)
    return from.flatMap((v, i) => changesOf(v, to[i], [...path, i]));
  return [to === undefined ? { path } : { path, value: to }];
}

/** A copy of a document with changes put onto it; what a change is about may be gone. */
export function apply<T>(document: T, changes: Change[]): T {
  const next = structuredClone(document);
  for (const change of changes) put(next, change);
  return next;
}

function put(document: unknown, { path, value, order }: Change) {
  let at: unknown = document;
  const steps = order ? path : path.slice(0, -1);
  for (const step of steps) {
    at = follow(at, step);
    if (at === undefined) return;
  }
  const last = path.at(-1);
  if (order) {
    const place = (e: Entry) => (order.indexOf(e.id) + order.length + 1) % (order.length + 1);
    if (Array.isArray(at)) at.sort((a: Entry, b: Entry) => place(a) - place(b));
  } else if (Array.isArray(at) && typeof last === "string") {
    const i = at.findIndex((e: Entry) => `#${e.id}` === last);
    if (value === undefined) {
      if (i >= 0) at.splice(i, 1);
    } else if (i >= 0) at[i] = structuredClone(value);
    else at.push(structuredClone(value));
  } else if (Array.isArray(at) && typeof last === "number") at[last] = structuredClone(value);
  else if (isObject(at) && last !== undefined) {
    if (value === undefined) Reflect.deleteProperty(at, last);
    else at[last] = structuredClone(value);
  }
}

const follow = (at: unknown, step: Step): unknown =>
  Array.isArray(at)
    ? typeof step === "number"
      ? at[step]
      : at.find((e: Entry) => `#${e.id}` === step)
    : isObject(at)
      ? at[step]
      : undefined;

const within = (outer: Step[], inner: Step[]) => outer.every((step, i) => inner[i] === step);

/** Whether two changes are about the same field, or one about a part of the other, and do not agree. */
const clash = (a: Change, b: Change) =>
  !a.order &&
  !b.order &&
  (within(a.path, b.path) || within(b.path, a.path)) &&
  !(same(a.path, b.path) && same(a.value, b.value));

/** What two made of one document: all of both, but fields that both changed stay as `theirs` has them. */
export function merge<T>(base: T, mine: T, theirs: T): { merged: T; conflicts: Change[] } {
  const [own, others] = [changesOf(base, mine), changesOf(base, theirs)];
  const conflicts = own.filter((a) => others.some((b) => clash(a, b)));
  return {
    merged: apply(
      theirs,
      own.filter((a) => !conflicts.includes(a)),
    ),
    conflicts,
  };
}

/** A field in words: "clouds, deck, cover". */
export const fieldName = ({ path }: Change) =>
  path.map((step) => String(step).replace(/^#/, "").replaceAll("_", " ")).join(", ");
