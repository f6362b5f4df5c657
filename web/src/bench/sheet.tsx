import { ToggleGroup } from "radix-ui";
import { fieldsOf, words, type Field, type NumberField, type Schema } from "../data/fields";
import { showNumber } from "../data/number";
import type { CloudKind, CloudLayer, Placement, Sky } from "../data/sky";
import { Button } from "../parts/button";
import { Choice } from "../parts/choice";
import { Hint } from "../parts/hint";
import { useBench, type Part } from "./bench-store";
import { Row } from "./row";

const titles: Record<Part, string> = { sun: "Sun", air: "Air", clouds: "Clouds", eye: "Eye", grade: "Grade" };

/** The controls of what is selected, and nothing else. */
export function Sheet({ part, sky, schema }: { part: Part; sky: Sky; schema: Schema }) {
  const select = useBench((s) => s.select);
  return (
    <div className="flex min-h-0 flex-1 flex-col" data-testid="sheet">
      <header className="flex items-center justify-between border-b border-line px-3 py-2">
        <h2 className="text-large">{titles[part]}</h2>
        <Button weight="quiet" onClick={() => select(null)} aria-label="Fold the sheet away">
          Fold
        </Button>
      </header>
      <div className="min-h-0 overflow-y-auto px-3 pt-1 pb-3">
        {part === "sun" && <SunRows sky={sky} schema={schema} />}
        {part === "air" && <Rows fields={fieldsOf(schema, "Air")} of={sky.air} edit={(s) => s.air} />}
        {part === "clouds" && <CloudRows sky={sky} schema={schema} />}
        {part === "eye" && <Rows fields={fieldsOf(schema, "Eye")} of={sky.eye} edit={(s) => s.eye} />}
        {part === "grade" && <GradeRows sky={sky} schema={schema} />}
      </div>
    </div>
  );
}

type Values = Record<string, unknown>;

/** Rows for the fields of one object; `edit` finds the same object in the document that is being changed. */
function Rows({
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
  const { change, settle } = useBench.getState();
  const values = of as Values;
  const set = (name: string, value: unknown, moving: boolean) =>
    change((s) => {
      const target = edit(s) as Values | undefined;
      if (target) target[name] = value;
    }, moving);
  return fields.map((f) =>
    f.kind === "number" ? (
      <Row
        key={f.name}
        field={f}
        value={Number(values[f.name])}
        {...(defaults ? { byDefault: Number((defaults as Values)[f.name]) } : {})}
        onChange={(v, moving) => set(f.name, v, moving)}
        onSettle={settle}
      />
    ) : (
      <ChoiceRow
        key={f.name}
        field={f}
        value={String(values[f.name])}
        onChange={(v) => set(f.name, v, false)}
      />
    ),
  );
}

function ChoiceRow({
  field,
  value,
  onChange,
}: {
  field: Field & { kind: "choice" };
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

function Switch({
  label,
  value,
  options,
  onChange,
}: {
  label: string;
  value: string;
  options: { value: string; title: string }[];
  onChange: (value: string) => void;
}) {
  return (
    <ToggleGroup.Root
      type="single"
      aria-label={label}
      value={value}
      onValueChange={(v) => v && onChange(v)}
      className="my-2 flex gap-3"
    >
      {options.map((o) => (
        <ToggleGroup.Item
          key={o.value}
          value={o.value}
          className="cursor-pointer pb-px text-quiet data-[state=on]:border-b-2 data-[state=on]:border-ink data-[state=on]:text-ink"
        >
          {o.title}
        </ToggleGroup.Item>
      ))}
    </ToggleGroup.Root>
  );
}

function SunRows({ sky, schema }: { sky: Sky; schema: Schema }) {
  const { change } = useBench.getState();
  const placement = sky.sun.placement;
  const disc = useBench((s) => s.shot?.disc.direction);
  const swap = (by: string) =>
    change((s) => {
      s.sun.placement = by === "hand" ? byHand(disc) : byPlace;
    });
  return (
    <>
      <Switch
        label="How the sun is placed"
        value={placement.by}
        options={[
          { value: "hand", title: "By hand" },
          { value: "place", title: "By place and time" },
        ]}
        onChange={swap}
      />
      <Rows
        fields={fieldsOf(schema, "Placement", placement.by).filter((f) => f.name !== "at")}
        of={placement}
        edit={(s) => s.sun.placement}
      />
      {placement.by === "place" && <Time at={placement.at} />}
      <div className="my-2 border-t border-line" />
      <Rows fields={fieldsOf(schema, "Sun")} of={sky.sun} edit={(s) => s.sun} />
    </>
  );
}

const byPlace: Placement = {
  by: "place",
  latitude_deg: 60,
  longitude_deg: -5,
  at: "2026-06-21T15:00:00+00:00",
};

function byHand(d: readonly [number, number, number] | undefined): Placement {
  if (!d) return { by: "hand", azimuth_deg: 180, elevation_deg: 35 };
  const deg = 180 / Math.PI;
  const tenth = (v: number) => Math.round(v * 10) / 10;
  return {
    by: "hand",
    azimuth_deg: tenth((Math.atan2(d[0], d[1]) * deg + 360) % 360),
    elevation_deg: tenth(Math.asin(d[2]) * deg),
  };
}

/** Date, hour and offset of a moment, each by itself. */
function Time({ at }: { at: string }) {
  const { change } = useBench.getState();
  const box = "h-6 rounded-soft border border-line bg-bench px-1 font-value";
  const m = /^(\d{4}-\d\d-\d\d)[Tt ](\d\d:\d\d)(?::\d\d(?:\.\d+)?)?([Zz]|[+-]\d\d:\d\d)$/.exec(at);
  // A form that the boxes below can't hold is shown as it is, not as some other moment.
  if (!m)
    return (
      <label className="block py-1 text-quiet">
        Date, hour and offset
        <input
          className={`block w-full ${box} text-ink`}
          key={at}
          defaultValue={at}
          onBlur={(e) => {
            const typed = e.target.value.trim();
            change((s) => {
              if (typed && s.sun.placement.by === "place") s.sun.placement.at = typed;
            });
          }}
        />
      </label>
    );
  const [, date = "", time = "", zone = ""] = m;
  const offset = /z/i.test(zone) ? "+00:00" : zone;
  const set = (d = date, t = time, o = offset) =>
    d &&
    t &&
    change((s) => {
      if (s.sun.placement.by === "place") s.sun.placement.at = `${d}T${t}:00${o}`;
    });
  return (
    <div className="flex flex-wrap gap-2 py-1">
      <label className="text-quiet">
        Date
        <input
          type="date"
          min="1950-01-01"
          max="2050-12-31"
          className={`block ${box} text-ink`}
          value={date}
          onChange={(e) => set(e.target.value)}
        />
      </label>
      <label className="text-quiet">
        Hour
        <input
          type="time"
          className={`block ${box} text-ink`}
          value={time}
          onChange={(e) => set(date, e.target.value)}
        />
      </label>
      <label className="text-quiet">
        From UTC
        <input
          className={`block w-16 ${box} text-ink`}
          key={offset}
          defaultValue={offset}
          onBlur={(e) => /^[+-]\d\d:\d\d$/.test(e.target.value) && set(date, time, e.target.value)}
        />
      </label>
    </div>
  );
}

/** Optical thickness of the core's column, and the water content that gives it: 3 LWC / (2 rho r) * depth. */
const thicknessOf = (l: CloudLayer) => ((1.5 * l.water_content_g_m3) / l.droplet_um) * l.depth_m;
const waterFor = (l: CloudLayer, thickness: number) => ((thickness / l.depth_m) * l.droplet_um) / 1.5;

const thicknessField: NumberField = {
  kind: "number",
  name: "optical_thickness",
  title: "Optical thickness",
  help: "How much light the core takes out of its way, straight down; under 3 the sun shows through. Sets the water content.",
  unit: "",
  soft: [0.5, 200],
  hard: [0, 100000],
  byDefault: 0,
  log: true,
  whole: false,
};

function CloudRows({ sky, schema }: { sky: Sky; schema: Schema }) {
  const { change, settle, select } = useBench.getState();
  const layer = sky.clouds[0];
  if (!layer) return <NewLayer schema={schema} />;
  const usual = schema.usual[layer.kind];
  const fields = fieldsOf(schema, "CloudLayer");
  const after = fields.findIndex((f) => f.name === "droplet_um") + 1;
  const thickness = thicknessOf(layer);
  const kinds = fields.find((f) => f.name === "kind");
  const rows = (part: Field[]) => (
    <Rows
      fields={part.filter((f) => f.name !== "kind")}
      of={layer}
      edit={(s) => s.clouds[0]}
      defaults={{ ...usual, seed: layer.seed, slide_east_m: 0, slide_north_m: 0 }}
    />
  );
  return (
    <>
      {kinds?.kind === "choice" && (
        <ChoiceRow
          field={kinds}
          value={layer.kind}
          onChange={(kind) =>
            change((s) => {
              const old = s.clouds[0];
              const fresh = schema.usual[kind as CloudKind];
              if (old)
                s.clouds[0] = {
                  ...structuredClone(fresh),
                  id: old.id,
                  seed: old.seed,
                  slide_east_m: old.slide_east_m,
                  slide_north_m: old.slide_north_m,
                };
            })
          }
        />
      )}
      {rows(fields.slice(0, after))}
      <Row
        field={{ ...thicknessField, byDefault: thicknessOf(usual) }}
        value={thickness}
        onChange={(t, moving) =>
          change((s) => {
            const l = s.clouds[0];
            if (l) l.water_content_g_m3 = Math.min(10, Number(waterFor(l, t).toPrecision(5)));
          }, moving)
        }
        onSettle={settle}
      />
      {rows(fields.slice(after))}
      <div className="mt-2 flex gap-2">
        <Button
          onClick={() =>
            change((s) => {
              const l = s.clouds[0];
              if (l) l.muted = !l.muted;
            })
          }
          aria-pressed={layer.muted}
        >
          {layer.muted ? "Show the layer" : "Mute the layer"}
        </Button>
        <Button
          weight="quiet"
          onClick={() => {
            change((s) => {
              s.clouds = [];
            });
            select(null);
          }}
        >
          Remove it
        </Button>
      </div>
    </>
  );
}

function NewLayer({ schema }: { schema: Schema }) {
  const { change } = useBench.getState();
  return (
    <div className="pt-2">
      <p className="mb-2 text-quiet">No cloud layer yet. Add one of a kind:</p>
      <div className="flex flex-col items-start gap-1">
        {Object.entries(schema.usual).map(([kind, layer]) => (
          <Button
            key={kind}
            weight="quiet"
            onClick={() =>
              change((s) => {
                s.clouds = [structuredClone(layer)];
              })
            }
          >
            {words(kind)} <span className="font-value text-quiet">{showNumber(layer.base_m)} m</span>
          </Button>
        ))}
      </div>
    </div>
  );
}

function GradeRows({ sky, schema }: { sky: Sky; schema: Schema }) {
  const { change } = useBench.getState();
  const suggested = useBench((s) => s.shot?.readouts?.suggested_ev100);
  return (
    <>
      <Rows fields={fieldsOf(schema, "Grade")} of={sky.grade} edit={(s) => s.grade} />
      {suggested !== undefined && (
        <Button
          className="mt-2"
          onClick={() =>
            change((s) => {
              s.grade.ev100 = Math.round(suggested * 10) / 10;
            })
          }
        >
          Take the suggested {suggested.toFixed(1)} EV
        </Button>
      )}
    </>
  );
}
