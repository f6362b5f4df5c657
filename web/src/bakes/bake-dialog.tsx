import { useMutation } from "@tanstack/react-query";
import { useState } from "react";
import { useBench } from "../bench/store/bench-store";
import { sunName } from "../bench/sheet/document-rows";
import { api, type BakeSettings } from "../data/api";
import { Button } from "../ui/button";
import { Choice } from "../ui/choice";
import { Dialog } from "../ui/dialog";

const widths = [1024, 2048, 4096, 8192].map((w) => ({ value: String(w), title: `${w} × ${w / 2}` }));
const files = [
  { value: "exr", title: "OpenEXR", help: "Half values, or float where the sun's disc needs it" },
  { value: "exr_half", title: "OpenEXR, half", help: "Fails if the sun's disc does not fit" },
  { value: "exr_float", title: "OpenEXR, float" },
  { value: "hdr", title: "Radiance HDR" },
];
const scales = [
  { value: "nits", title: "cd/m²", help: "Y is luminance" },
  { value: "exposed", title: "Exposed", help: "1 is display white at this sky's exposure" },
];

/** What to bake from the sky on the Bench, as it is now. */
export function BakeDialog({ onClose }: { onClose: () => void }) {
  const [settings, setSettings] = useState<BakeSettings>({
    map: { width: 2048, heading_deg: 0, scale: "nits", sun: true, clouds: true, land: false },
    file: "exr",
  });
  const { record, sky, notify } = useBench.getState();
  const bake = useMutation({
    mutationFn: () => {
      if (!record || !sky) throw new Error("no sky is open");
      return api.bake(record.id, record.name, sky, settings);
    },
    onSuccess: (made) => {
      notify(`The bake of “${made.name}” is in the queue.`, { words: "Bakes", path: "/bakes" });
      onClose();
    },
  });
  const map = (change: Partial<BakeSettings["map"]>) =>
    setSettings((s) => ({ ...s, map: { ...s.map, ...change } }));
  const muted = sky
    ? [
        ...sky.suns.flatMap((s, i) => (s.muted ? [sunName(sky, i)] : [])),
        ...(sky.fog.muted && sky.fog.amount > 0 ? ["Low fog"] : []),
        ...sky.clouds.filter((l) => l.muted).map((l) => l.name),
      ]
    : [];
  return (
    <Dialog title="Bake an environment map" open onClose={onClose}>
      <div className="flex flex-col gap-2">
        <Field title="Size">
          <Choice
            label="Size"
            value={String(settings.map.width)}
            options={widths}
            onChange={(w) => map({ width: Number(w) })}
          />
        </Field>
        <Field title="File">
          <Choice
            label="File"
            value={settings.file}
            options={files}
            onChange={(f) => setSettings((s) => ({ ...s, file: f as BakeSettings["file"] }))}
          />
        </Field>
        <Field title="Values">
          <Choice
            label="Values"
            value={settings.map.scale}
            options={scales}
            onChange={(v) => map({ scale: v as "nits" | "exposed" })}
          />
        </Field>
        <Field title="Middle column">
          <input
            aria-label="Azimuth in the middle column, degrees"
            type="number"
            min={-360}
            max={360}
            value={settings.map.heading_deg}
            onChange={(e) => map({ heading_deg: Number(e.target.value) })}
            className="h-6 w-full rounded-soft border border-edge bg-bench px-2 font-value"
          />
        </Field>
        <Check title="The sun's disc is in the map" on={settings.map.sun} onChange={(sun) => map({ sun })} />
        <Check
          title="Clouds are in the map"
          on={settings.map.clouds}
          onChange={(clouds) => map({ clouds })}
        />
        <Check title="Trial land is in the map" on={settings.map.land} onChange={(land) => map({ land })} />
        {muted.length > 0 && <p className="text-quiet">Muted and so left out: {muted.join(", ")}.</p>}
      </div>
      {bake.isError && (
        <p role="alert" className="mt-2">
          {bake.error.message}
        </p>
      )}
      <div className="mt-4 flex justify-end gap-2">
        <Button weight="quiet" onClick={onClose}>
          Leave it
        </Button>
        <Button weight="main" disabled={bake.isPending} onClick={() => bake.mutate()}>
          Put it in the queue
        </Button>
      </div>
    </Dialog>
  );
}

function Field({ title, children }: { title: string; children: React.ReactNode }) {
  return (
    <div className="grid grid-cols-[7rem_1fr] items-center">
      <span className="text-quiet">{title}</span>
      {children}
    </div>
  );
}

function Check({ title, on, onChange }: { title: string; on: boolean; onChange: (on: boolean) => void }) {
  return (
    <label className="flex min-h-6 cursor-pointer items-center gap-2">
      <input
        type="checkbox"
        checked={on}
        onChange={(e) => onChange(e.target.checked)}
        className="accent-accent"
      />
      {title}
    </label>
  );
}
