import { t } from "../../../text";
import { fieldsOf, words, type Field, type NumberField, type Schema } from "../../../data/fields";
import { showNumber } from "../../../data/number";
import type { CloudKind, CloudLayer, Sky } from "../../../data/sky";
import { Button } from "../../../ui/button";
import { useBench } from "../../store/bench-store";
import { layerOf, selectionOf, type Selection } from "../../store/selection";
import { addLayer, MOST_LAYERS } from "../../layers/layers";
import { Disclosure } from "../disclosure";
import { deal } from "../../choices/offers";
import { Profile } from "../../layers/profile";
import { Regions } from "../../layers/regions/regions";
import { Row } from "../row";
import { Seek } from "../../choices/seek";
import { SmallPicture } from "../../choices/small-picture";
import { setThickness, thicknessOf } from "../../layers/thickness";
import { ChoiceRow, Rows } from "./rows";

/** Which rows lie together; what is in none of these comes first. */
const GROUPS: { title: string; names: string[] }[] = [
  {
    title: t("Form"),
    names: [
      "stretch",
      "heading_deg",
      "lean_deg",
      "second_kind",
      "second_share",
      "cell_size_m",
      "lobes",
      "erosion",
      "erosion_grain",
      "edge",
      "flat_base",
      "anvil",
    ],
  },
  {
    title: t("Light"),
    names: [
      "droplet_spread",
      "halo",
      "scatter_tint",
      "absorb_tint",
      "shade_lift",
      "shade_tint",
      "high_orders",
      "shadow_on_land",
      "own_shadow",
      "shadow_east_m",
      "shadow_north_m",
    ],
  },
  {
    title: t("Place and age"),
    names: ["seed", "slide_east_m", "slide_north_m", "age_min", "wind_share"],
  },
];
const grouped = new Set(GROUPS.flatMap((g) => g.names));

/** Rows of ice speak of ice. */
function inWords(schema: Schema, l: CloudLayer, field: Field): Field {
  if (!schema.ice.includes(l.kind)) return field;
  const titles: Record<string, string> = {
    water_content_g_m3: t("Ice content"),
    droplet_um: t("Crystal size"),
  };
  return { ...field, title: titles[field.name] ?? field.title };
}

const thicknessField: NumberField = {
  kind: "number",
  name: "optical_thickness",
  title: t("Optical thickness"),
  help: t(
    "How much light the core takes out of its way, straight down. Translucidus to about 3: the sun shows through; opacus above. Sets the water content.",
  ),
  unit: "",
  soft: [0.05, 200],
  hard: [0, 100000],
  byDefault: 0,
  log: true,
  whole: false,
};

/** What the atlas calls a layer of this optical thickness (common practice, no source for the number). */
const varietyOf = (thickness: number) => (thickness < 3 ? "translucidus" : "opacus");

export function CloudRows({ selection, sky, schema }: { selection: Selection; sky: Sky; schema: Schema }) {
  const { change, settle, select, offer, setDragging } = useBench.getState();
  const dragging = useBench((s) => s.dragging);
  const index = layerOf(selection, sky);
  const layer = sky.clouds[index];
  if (!layer) return <NewLayer sky={sky} schema={schema} />;
  const usual = schema.usual[layer.kind];
  const fields = fieldsOf(schema, "CloudLayer").map((f) => inWords(schema, layer, f));
  const thickness = thicknessOf(schema, layer);
  const kinds = fields.find((f) => f.name === "kind");
  const edit = (then: (l: CloudLayer, s: Sky) => void, moving = false) =>
    change((s) => {
      const l = s.clouds[index];
      if (l) then(l, s);
    }, moving);
  const rows = (shown: Field[]) => (
    <Rows
      fields={shown.filter((f) => f.name !== "kind" && f.name !== "muted")}
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
        {t("Name")}
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
              // Where the layer is stays; what it is like is its kind's.
              const { id, seed, slide_east_m, slide_north_m, age_min, wind_share, regions } = old;
              s.clouds[index] = {
                ...fresh,
                ...{ id, seed, slide_east_m, slide_north_m, age_min, wind_share, regions },
                name: named ? old.name : fresh.name,
              };
            })
          }
        />
      )}
      <div className="flex flex-wrap gap-x-2 gap-y-1 py-1">
        <Button onClick={() => edit((l) => (l.muted = !l.muted))} aria-pressed={layer.muted}>
          {layer.muted ? t("Show the layer") : t("Mute the layer")}
        </Button>
        <Button
          weight="quiet"
          aria-pressed={dragging}
          className={dragging ? "underline underline-offset-4" : ""}
          title={t("Drag a cloud, or its shadow, in the Picture")}
          onClick={() => setDragging(!dragging)}
        >
          {t("Grasp")}
        </Button>
        <Button weight="quiet" onClick={() => offer(deal(selection, sky))}>
          {t("Deal")}
        </Button>
        {others.length > 0 && (
          <Button
            weight="quiet"
            aria-pressed={alone}
            onClick={() => edit((l, s) => s.clouds.forEach((o) => (o.muted = !alone && o !== l)))}
          >
            {alone ? t("Show all layers") : t("Solo")}
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
              if (added) select(selectionOf(added));
            }}
          >
            {t("Duplicate")}
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
          {t("Remove it")}
        </Button>
      </div>
      <Row
        field={{ ...thicknessField, byDefault: thicknessOf(schema, usual) }}
        value={thickness}
        onChange={(t, moving) => edit((l) => setThickness(schema, l, t), moving)}
        onSettle={settle}
      />
      <p className="-mt-1 text-right text-small text-quiet" data-testid="variety">
        {varietyOf(thickness)}
      </p>
      {rows(fields.filter((f) => f.name === "cover"))}
      <Disclosure title={t("Seek")}>
        <Seek sky={sky} layer={layer} schema={schema} />
      </Disclosure>
      {rows(fields.filter((f) => f.name !== "cover" && !grouped.has(f.name)))}
      {GROUPS.map(({ title, names }) => (
        <Disclosure key={title} title={title} open={title !== "Light"}>
          {rows(fields.filter((f) => names.includes(f.name)))}
          {title === "Form" && <Profile layer={layer} edit={edit} />}
        </Disclosure>
      ))}
      <Disclosure title={t("Cover regions")}>
        <Regions key={layer.id} sky={sky} index={index} schema={schema} />
      </Disclosure>
    </>
  );
}

/** What a painter would call a kind. */
const plainNames: Record<CloudKind, string> = {
  cumulus_humilis: t("Small fair-weather heaps"),
  cumulus_mediocris: t("Heaps"),
  cumulus_congestus: t("Towers"),
  cumulonimbus: t("Thunder tower with an anvil"),
  stratocumulus: t("Low rolls and slabs"),
  stratus: t("Low grey lid"),
  nimbostratus: t("Rain deck"),
  altocumulus: t("Flock of small heaps"),
  altostratus: t("Grey veil, sun as through milk glass"),
  cirrocumulus: t("Fine ripples, high up"),
  cirrostratus: t("Thin veil with a ring"),
  cirrus_fibratus: t("High threads"),
  cirrus_uncinus: t("Hooked threads"),
  contrail: t("Trail of an aircraft"),
};

/** A sky with one layer, looked at as it is. */
const alone = (sky: Sky, layer: CloudLayer): Sky => ({
  ...sky,
  clouds: [layer],
  fog: { ...sky.fog, amount: 0 },
});

/** Kinds to add, each at its usual altitude, from the highest down. */
function NewLayer({ sky, schema }: { sky: Sky; schema: Schema }) {
  const { change, select } = useBench.getState();
  if (sky.clouds.length >= MOST_LAYERS)
    return (
      <p className="pt-2 text-quiet">
        {t("A sky holds {{MOST_LAYERS}} layers; remove one to add another.", { MOST_LAYERS })}
      </p>
    );
  const kinds = (Object.entries(schema.usual) as [CloudKind, CloudLayer][]).sort(
    ([, a], [, b]) => b.base_m - a.base_m,
  );
  return (
    <div className="pt-2">
      <p className="mb-2 text-quiet">
        {sky.clouds.length === 0 ? t("No cloud layer yet. Add one of a kind:") : t("Add a layer of a kind:")}
      </p>
      <ul>
        {kinds.map(([kind, layer]) => (
          <li key={kind}>
            <button
              type="button"
              data-testid={`kind-${kind}`}
              className="flex w-full cursor-pointer gap-2 py-1 text-left hover:bg-raised"
              onClick={() => {
                change((s) => {
                  addLayer(s, layer, kind.replaceAll("_", "-"));
                });
                const added = useBench.getState().sky?.clouds.at(-1);
                if (added) select(selectionOf(added));
              }}
            >
              <span className="w-20 shrink-0">
                <SmallPicture document={() => alone(sky, layer)} width={160} />
              </span>
              <span className="min-w-0 leading-tight">
                {plainNames[kind]}
                <span className="block text-small text-quiet">
                  {words(kind)} <span className="font-value">{showNumber(layer.base_m)} m</span>
                </span>
              </span>
            </button>
          </li>
        ))}
      </ul>
    </div>
  );
}
