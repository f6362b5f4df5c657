import { t } from "../text";
import { keepPreviousData, useMutation, useQuery } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { api, Refusal, type Bake } from "../data/api";
import { settingsOf, type BakeDraft, type BakeSource, type Purpose } from "../data/bakes";
import { aspectOf } from "../data/camera";
import { showNumber } from "../data/number";
import { Button } from "../ui/button";
import { Dialog } from "../ui/dialog";
import { leftWords } from "../ui/durations";
import { BackdropFields, KitFields, MapFields, NoiseField, PackageFields } from "./map-fields";
import { CloudFields, PlanFields } from "./volume-fields";

const purposes: { purpose: Purpose; title: string; help: string }[] = [
  { purpose: "light", title: t("A map to light with"), help: t("All directions, in cd/m²") },
  { purpose: "backdrop", title: t("A backdrop picture"), help: t("What the camera sees") },
  { purpose: "clouds", title: t("A cloud volume"), help: t("Some clouds, or one, as voxels") },
  { purpose: "shadow", title: t("A shadow map"), help: t("What clouds shade on the ground") },
  { purpose: "cover", title: t("A cover map"), help: t("Thickness and tops from above") },
  { purpose: "kit", title: t("Light apart"), help: t("Suns, harmonics, reflections") },
  { purpose: "package", title: t("A package"), help: t("Map, lights, camera, volumes in one") },
];

/** How long a draft rests before it is measured, ms. */
const REST = 500;

/** What to bake from a sky. */
export function BakeDialog({
  source,
  draft,
  onDraft,
  onCut,
  onAsked,
  onClose,
}: {
  source: BakeSource;
  draft: BakeDraft;
  onDraft: (draft: BakeDraft) => void;
  /** Lets a cloud be clicked in the Picture, where there is one. */
  onCut?: (draft: BakeDraft) => void;
  onAsked: (made: Bake) => void;
  onClose: () => void;
}) {
  const settings = settingsOf(draft, aspectOf(source.sky.eye));
  const bake = useMutation({
    mutationFn: () => api.bake(source.skyId, source.name, source.sky, settings),
    onSuccess: (made) => {
      onAsked(made);
      onClose();
    },
  });
  const set = (change: Partial<BakeDraft>) => onDraft({ ...draft, ...change });
  const fields = { draft, set, sky: source.sky };
  return (
    <Dialog title={t("Bake “{{name}}”", { name: source.name })} open onClose={onClose} wide>
      <div className="grid grid-cols-[13rem_1fr] gap-5">
        <div role="radiogroup" aria-label={t("What to bake")} className="flex flex-col gap-px">
          {purposes.map(({ purpose, title, help }) => (
            <button
              key={purpose}
              type="button"
              role="radio"
              aria-checked={draft.purpose === purpose}
              onClick={() => set({ purpose })}
              className={`cursor-pointer border-l-2 px-3 py-1 text-left hover:bg-raised ${draft.purpose === purpose ? "border-ink bg-raised" : "border-line"}`}
            >
              {title}
              <span className="block text-small text-quiet">{help}</span>
            </button>
          ))}
        </div>
        <div className="flex min-h-96 flex-col gap-2">
          {draft.purpose === "light" && <MapFields {...fields} />}
          {draft.purpose === "backdrop" && <BackdropFields {...fields} />}
          {draft.purpose === "clouds" && <CloudFields {...fields} onCut={onCut} />}
          {(draft.purpose === "shadow" || draft.purpose === "cover") && <PlanFields {...fields} />}
          {draft.purpose === "kit" && <KitFields {...fields} />}
          {draft.purpose === "package" && <PackageFields {...fields} />}
          {["light", "backdrop", "package"].includes(draft.purpose) && <NoiseField {...fields} />}
          <span className="flex-1" />
          <Measured source={source} settings={settings} />
        </div>
      </div>
      {bake.isError && (
        <p role="alert" className="mt-2">
          {said(bake.error)}
        </p>
      )}
      <div className="mt-4 flex justify-end gap-2">
        <Button weight="quiet" onClick={onClose}>
          {t("Cancel")}
        </Button>
        <Button weight="main" disabled={bake.isPending} onClick={() => bake.mutate()}>
          {t("Put it in the queue")}
        </Button>
      </div>
    </Dialog>
  );
}

/** What was refused, with the fields that it is about. */
const said = (e: Error) =>
  e instanceof Refusal && e.problems.length > 0
    ? e.problems.map((p) => `${p.path.replace(/^settings\./, "")}: ${p.message}`).join("; ")
    : e.message;

/** Time, size and memory as measured on this sky, and what may have been forgotten. */
function Measured({ source, settings }: { source: BakeSource; settings: ReturnType<typeof settingsOf> }) {
  const asked = JSON.stringify(settings);
  const [rested, setRested] = useState(asked);
  useEffect(() => {
    const timer = setTimeout(() => setRested(asked), REST);
    return () => clearTimeout(timer);
  }, [asked]);
  const measured = useQuery({
    queryKey: ["estimate", rested, JSON.stringify(source.sky)],
    queryFn: () => api.estimate(source.sky, JSON.parse(rested)),
    placeholderData: keepPreviousData,
    staleTime: Infinity,
    retry: false,
  });
  const e = measured.data;
  const settling = rested !== asked || measured.isFetching;
  return (
    <div data-testid="estimate" data-settled={!settling} className="border-t border-line pt-2">
      {measured.isError && !settling ? (
        <p role="alert">{said(measured.error)}</p>
      ) : !e ? (
        <p className="text-quiet">{t("Measuring on this sky…")}</p>
      ) : (
        <>
          <p className={settling ? "text-quiet" : ""}>
            {t("About ")}
            <span className="font-value">{leftWords(e.seconds)}</span>
            {t(" on this machine,")} <span className="font-value">{sizeWords(e.bytes)}</span>
            {t(" of files,")} <span className="font-value">{sizeWords(e.memory_bytes)}</span>
            {t(" of memory.")}
          </p>
          {e.voxels !== null && e.active_voxels !== null && (
            <p className="text-quiet">
              <span className="font-value">{millions(e.voxels)}</span>
              {t(" million voxels of")} <span className="font-value">{showNumber(e.voxel_m ?? 0)} m</span>,{" "}
              <span className="font-value">{millions(e.active_voxels)}</span>
              {t(" million with cloud.")}
            </p>
          )}
          {e.warnings.map((warning) => (
            <p key={warning} className="mt-1">
              <span aria-hidden>— </span>
              {warning}
            </p>
          ))}
        </>
      )}
    </div>
  );
}

const millions = (n: number) => showNumber(n / 1e6);
const sizeWords = (bytes: number) =>
  bytes >= 1e9 ? `${showNumber(bytes / 1e9)} GB` : `${showNumber(Math.max(bytes / 1e6, 0.01))} MB`;
