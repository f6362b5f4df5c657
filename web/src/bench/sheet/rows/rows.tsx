import { t } from "../../../text";
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
        className="group/switch flex min-h-6 cursor-pointer items-center gap-2"
      >
        <span className="text-small text-quiet">{value ? t("yes") : t("no")}</span>
        <span
          className={
            "flex h-4 w-8 items-center rounded-full border border-edge bg-bench px-0.5 " +
            "group-data-[state=checked]/switch:justify-end group-data-[state=checked]/switch:bg-edge"
          }
        >
          <Toggle.Thumb className="block h-2.5 w-2.5 rounded-full bg-ink" />
        </span>
      </Toggle.Root>
    </div>
  );
}
