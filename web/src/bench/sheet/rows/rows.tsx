import { Switch as Toggle } from "radix-ui";
import type { ChoiceField, ColourField, Field, SwitchField } from "../../../data/fields";
import type { Sky } from "../../../data/sky";
import { Choice } from "../../../ui/choice";
import { Hint } from "../../../ui/hint";
import { useBench } from "../../store/bench-store";
import type { Rgb } from "../../store/view";
import type { Group } from "../document-rows";
import { bracket } from "../../choices/offers";
import { Row } from "../row";
import { ColourRow } from "./colour-row";

type Values = Record<string, unknown>;

/** Rows for the fields of one object; `edit` finds the same object in the document that is being changed. */
export function Rows({
  fields,
  of,
  edit,
  defaults,
}: {
  fields: Field[];
  of: object;
  edit: (sky: Sky) => object | undefined;
  defaults?: object | undefined;
}) {
  const { change, settle, offer } = useBench.getState();
  const values = of as Values;
  const set = (name: string, value: unknown, moving: boolean) =>
    change((s) => {
      const target = edit(s) as Values | undefined;
      if (target) target[name] = value;
    }, moving);
  return fields.map((f) => {
    if (f.kind === "number")
      return (
        <Row
          key={f.name}
          field={f}
          value={Number(values[f.name])}
          {...(defaults ? { byDefault: Number((defaults as Values)[f.name]) } : {})}
          onChange={(v, moving) => set(f.name, v, moving)}
          onSettle={settle}
          onBracket={() => offer(bracket(f, Number(values[f.name]), edit))}
        />
      );
    if (f.kind === "choice")
      return (
        <ChoiceRow
          key={f.name}
          field={f}
          value={String(values[f.name])}
          onChange={(v) => set(f.name, v, false)}
        />
      );
    if (f.kind === "switch")
      return (
        <SwitchRow
          key={f.name}
          field={f}
          value={values[f.name] === true}
          onChange={(v) => set(f.name, v, false)}
        />
      );
    return (
      <ColourRow
        key={f.name}
        field={f satisfies ColourField}
        value={values[f.name] as Rgb}
        onChange={(v, moving) => set(f.name, v, moving)}
        onSettle={settle}
      />
    );
  });
}

export const GroupRows = ({ group }: { group: Group }) => (
  <Rows fields={group.fields} of={group.of} edit={group.edit} defaults={group.defaults} />
);

export function ChoiceRow({
  field,
  value,
  onChange,
}: {
  field: ChoiceField;
  value: string;
  onChange: (value: string) => void;
}) {
  return (
    <div className="py-1" data-testid={`row-${field.name}`}>
      <Hint text={field.help}>
        <span className="text-quiet">{field.title}</span>
      </Hint>
      <Choice label={field.title} value={value} options={field.options} onChange={onChange} />
    </div>
  );
}

function SwitchRow({
  field,
  value,
  onChange,
}: {
  field: SwitchField;
  value: boolean;
  onChange: (value: boolean) => void;
}) {
  return (
    <div className="flex items-center justify-between py-1" data-testid={`row-${field.name}`}>
      <Hint text={field.help}>
        <span className="text-quiet">{field.title}</span>
      </Hint>
      <Toggle.Root
        checked={value}
        onCheckedChange={onChange}
        aria-label={field.title}
        className="min-h-6 min-w-8 cursor-pointer px-1 data-[state=checked]:underline data-[state=checked]:underline-offset-4"
      >
        {value ? "yes" : "no"}
      </Toggle.Root>
    </div>
  );
}
