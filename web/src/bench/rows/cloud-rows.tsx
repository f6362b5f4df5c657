import { fieldsOf, words, type Field, type NumberField, type Schema } from "../../data/fields";
import { showNumber } from "../../data/number";
import type { CloudKind, CloudLayer, Sky } from "../../data/sky";
import { Button } from "../../parts/button";
import { useBench } from "../bench-store";
import { Row } from "../row";
import { ChoiceRow, Rows } from "./rows";

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

export function CloudRows({ sky, schema }: { sky: Sky; schema: Schema }) {
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
      fields={part.filter((f) => f.name !== "kind" && f.kind !== "switch")}
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
