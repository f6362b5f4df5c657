import { fieldsOf, words, type Field, type NumberField, type Schema } from "../../data/fields";
import { showNumber } from "../../data/number";
import type { CloudKind, CloudLayer, Sky } from "../../data/sky";
import { Button } from "../../parts/button";
import { layerOf, partOf, useBench, type Part } from "../bench-store";
import { addLayer, MOST_LAYERS } from "../layers";
import { deal } from "../offers";
import { Row } from "../row";
import { Seek } from "../seek";
import { ChoiceRow, Rows } from "./rows";

/** Density of what a kind is made of, g/cm3. */
const densityOf = (schema: Schema, l: CloudLayer) => (schema.ice.includes(l.kind) ? 0.917 : 1);
/** Optical thickness of the core's column, and the water content that gives it: 3 LWC / (2 rho r) * depth. */
const thicknessOf = (schema: Schema, l: CloudLayer) =>
  ((1.5 * l.water_content_g_m3) / (densityOf(schema, l) * l.droplet_um)) * l.depth_m;
const waterFor = (schema: Schema, l: CloudLayer, thickness: number) =>
  ((thickness / l.depth_m) * densityOf(schema, l) * l.droplet_um) / 1.5;

const thicknessField: NumberField = {
  kind: "number",
  name: "optical_thickness",
  title: "Optical thickness",
  help: "How much light the core takes out of its way, straight down. Translucidus to about 3: the sun shows through; opacus above. Sets the water content.",
  unit: "",
  soft: [0.05, 200],
  hard: [0, 100000],
  byDefault: 0,
  log: true,
  whole: false,
};

/** What the atlas calls a layer of this optical thickness (common practice, no source for the number). */
const varietyOf = (thickness: number) => (thickness < 3 ? "translucidus" : "opacus");

export function CloudRows({ part, sky, schema }: { part: Part; sky: Sky; schema: Schema }) {
  const { change, settle, select, offer, grasp } = useBench.getState();
  const grasping = useBench((s) => s.grasping);
  const index = layerOf(part, sky);
  const layer = sky.clouds[index];
  if (!layer) return <NewLayer sky={sky} schema={schema} />;
  const usual = schema.usual[layer.kind];
  const fields = fieldsOf(schema, "CloudLayer");
  const thickness = thicknessOf(schema, layer);
  const kinds = fields.find((f) => f.name === "kind");
  const edit = (then: (l: CloudLayer, s: Sky) => void, moving = false) =>
    change((s) => {
      const l = s.clouds[index];
      if (l) then(l, s);
    }, moving);
  const rows = (part: Field[]) => (
    <Rows
      fields={part.filter((f) => f.name !== "kind" && f.kind !== "switch")}
      of={layer}
      edit={(s) => s.clouds[index]}
      defaults={{ ...usual, seed: layer.seed, slide_east_m: 0, slide_north_m: 0 }}
    />
  );
  const others = sky.clouds.filter((l) => l.id !== layer.id);
  const alone = others.length > 0 && !layer.muted && others.every((l) => l.muted);
  return (
    <>
      <label className="flex items-baseline justify-between gap-2 py-1 text-quiet">
        Name
        <input
          data-testid="layer-name"
          className="w-40 bg-transparent text-right text-ink"
          maxLength={120}
          value={layer.name}
          onChange={(e) => edit((l) => (l.name = e.target.value), true)}
          onBlur={settle}
        />
      </label>
      {kinds?.kind === "choice" && (
        <ChoiceRow
          field={kinds}
          value={layer.kind}
          onChange={(kind) =>
            edit((old, s) => {
              const fresh = structuredClone(schema.usual[kind as CloudKind]);
              const named = old.name !== schema.usual[old.kind].name;
              const { id, seed, slide_east_m, slide_north_m } = old;
              s.clouds[index] = {
                ...fresh,
                id,
                seed,
                slide_east_m,
                slide_north_m,
                name: named ? old.name : fresh.name,
              };
            })
          }
        />
      )}
      <div className="flex flex-wrap gap-x-2 gap-y-1 py-1">
        <Button onClick={() => edit((l) => (l.muted = !l.muted))} aria-pressed={layer.muted}>
          {layer.muted ? "Show the layer" : "Mute the layer"}
        </Button>
        <Button
          weight="quiet"
          aria-pressed={grasping}
          className={grasping ? "underline underline-offset-4" : ""}
          title="Drag a cloud, or its shadow, in the Picture"
          onClick={() => grasp(!grasping)}
        >
          Grasp
        </Button>
        <Button weight="quiet" onClick={() => offer(deal(part, sky))}>
          Deal
        </Button>
        {others.length > 0 && (
          <Button
            weight="quiet"
            aria-pressed={alone}
            onClick={() => edit((l, s) => s.clouds.forEach((o) => (o.muted = !alone && o !== l)))}
          >
            {alone ? "Show all layers" : "Solo"}
          </Button>
        )}
        {sky.clouds.length < MOST_LAYERS && (
          <Button
            weight="quiet"
            onClick={() => {
              change((s) => {
                addLayer(s, layer, layer.id);
              });
              const added = useBench.getState().sky?.clouds.at(-1);
              if (added) select(partOf(added));
            }}
          >
            Duplicate
          </Button>
        )}
        <Button
          weight="quiet"
          onClick={() => {
            change((s) => {
              s.clouds.splice(index, 1);
            });
            select(null);
          }}
        >
          Remove it
        </Button>
      </div>
      <Row
        field={{ ...thicknessField, byDefault: thicknessOf(schema, usual) }}
        value={thickness}
        onChange={(t, moving) =>
          edit(
            (l) => (l.water_content_g_m3 = Math.min(10, Number(waterFor(schema, l, t).toPrecision(5)))),
            moving,
          )
        }
        onSettle={settle}
      />
      <p className="-mt-1 text-right text-small text-quiet" data-testid="variety">
        {varietyOf(thickness)}
      </p>
      {rows(fields.filter((f) => f.name === "cover"))}
      {rows(fields.filter((f) => f.name !== "cover"))}
      <Seek sky={sky} layer={layer} />
    </>
  );
}

/** Kinds to add, each at its usual altitude, from the highest down. */
function NewLayer({ sky, schema }: { sky: Sky; schema: Schema }) {
  const { change, select } = useBench.getState();
  if (sky.clouds.length >= MOST_LAYERS)
    return <p className="pt-2 text-quiet">A sky holds {MOST_LAYERS} layers; remove one to add another.</p>;
  const kinds = (Object.entries(schema.usual) as [CloudKind, CloudLayer][]).sort(
    ([, a], [, b]) => b.base_m - a.base_m,
  );
  return (
    <div className="pt-2">
      <p className="mb-2 text-quiet">
        {sky.clouds.length === 0 ? "No cloud layer yet. Add one of a kind:" : "Add a layer of a kind:"}
      </p>
      <div className="flex flex-col items-start gap-1">
        {kinds.map(([kind, layer]) => (
          <Button
            key={kind}
            weight="quiet"
            onClick={() => {
              change((s) => {
                addLayer(s, layer, kind.replaceAll("_", "-"));
              });
              const added = useBench.getState().sky?.clouds.at(-1);
              if (added) select(partOf(added));
            }}
          >
            {words(kind)} <span className="font-value text-quiet">{showNumber(layer.base_m)} m</span>
          </Button>
        ))}
      </div>
    </div>
  );
}
