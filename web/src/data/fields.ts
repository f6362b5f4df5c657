import { t } from "../text";
import type { Option } from "../ui/choice";
import type { CloudKind, CloudLayer } from "./sky";

/** A value of the document as the sheet shows it; all of it comes from the JSON Schema. */
export type NumberField = {
  kind: "number";
  name: string;
  title: string;
  help: string;
  unit: string;
  soft: [number, number];
  hard: [number, number];
  byDefault: number;
  log: boolean;
  whole: boolean;
};
export type ChoiceField = { kind: "choice"; name: string; title: string; help: string; options: Option[] };
/** Yes or no. */
export type SwitchField = { kind: "switch"; name: string; title: string; help: string };
export type ColourField = { kind: "colour"; name: string; title: string; help: string };
export type Field = NumberField | ChoiceField | SwitchField | ColourField;

type Node = {
  $ref?: string;
  type?: string;
  title?: string;
  description?: string;
  enum?: string[];
  const?: string;
  oneOf?: Node[];
  properties?: Record<string, Node>;
  minimum?: number;
  maximum?: number;
  default?: unknown;
  unit?: string;
  soft?: [number, number];
  scale?: string;
  format?: string;
};
export type Schema = Node & {
  $defs: Record<string, Node>;
  usual: Record<CloudKind, CloudLayer>;
  ice: CloudKind[];
};

const resolve = (schema: Schema, node: Node): Node =>
  node.$ref ? (schema.$defs[node.$ref.replace("#/$defs/", "")] ?? {}) : node;

/** Words for the values of a choice: as in the document, readable. */
export const words = (value: string) => t(value.replaceAll("_", " ").replace(/^./, (c) => c.toUpperCase()));

function field(schema: Schema, name: string, node: Node): Field | null {
  const target = resolve(schema, node);
  const help = t(node.description ?? target.description ?? "");
  const title = t(node.title ?? name);
  if (node.type === "number" || node.type === "integer") {
    return {
      kind: "number",
      name,
      title,
      help,
      unit: node.unit ?? "",
      soft: node.soft ?? [0, 1],
      hard: [node.minimum ?? -Infinity, node.maximum ?? Infinity],
      byDefault: Number(node.default ?? 0),
      log: node.scale === "log",
      whole: node.type === "integer",
    };
  }
  if (node.type === "boolean") return { kind: "switch", name, title, help };
  if (target.format === "colour") return { kind: "colour", name, title, help };
  const options = target.enum
    ? target.enum.map((value) => ({ value, title: words(value) }))
    : target.oneOf?.every((o) => o.const)
      ? target.oneOf.map((o) => {
          const value = o.const ?? "";
          return { value, title: words(value), ...(o.description ? { help: t(o.description) } : {}) };
        })
      : null;
  return options && { kind: "choice", name, title, help, options };
}

/** The usual values of a definition's fields, as far as it has them. */
export const usualOf = (schema: Schema, definition: string): Record<string, unknown> =>
  Object.fromEntries(
    Object.entries(schema.$defs[definition]?.properties ?? {}).map(([name, node]) => [
      name,
      structuredClone(node.default),
    ]),
  );

/** The fields of a definition, in the document's order; a variant is told by its one constant. */
export function fieldsOf(schema: Schema, definition: string, variant?: string): Field[] {
  const root = schema.$defs[definition];
  const told = (o: Node) => Object.values(o.properties ?? {}).some((p) => p.const === variant);
  const node = variant ? root?.oneOf?.find(told) : root;
  return Object.entries(node?.properties ?? {})
    .map(([name, n]) => field(schema, name, n))
    .filter((f): f is Field => f !== null);
}
