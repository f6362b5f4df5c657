import { t } from "../text";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api } from "../data/api";
import { Button } from "../ui/button";
import { daysLeft, when } from "../ui/dates";
import { Dialog } from "../ui/dialog";
import { NoticeLine, useFault } from "../ui/notices";
import { go } from "../route";

/** Days for which deleted things can come back. */
const DAYS = 30;

/** Deleted skies and bakes: until they are taken back, forgotten by hand, or 30 days old. */
export function Bin() {
  const client = useQueryClient();
  const [sure, setSure] = useState(false);
  const skies = useQuery({
    queryKey: ["skies", "bin"],
    queryFn: () => api.skies({ search: "", sort: "changed", bin: true, limit: 200 }),
  });
  const bakes = useQuery({ queryKey: ["bakes", "bin"], queryFn: () => api.bakes({ bin: true, limit: 200 }) });
  const act = useMutation({
    mutationFn: (work: () => Promise<unknown>) => work(),
    onSuccess: () => {
      void client.invalidateQueries({ queryKey: ["skies"] });
      void client.invalidateQueries({ queryKey: ["bakes"] });
    },
  });
  const things = [
    ...(skies.data?.skies ?? []).map((s) => ({
      ...{ id: s.id, name: s.name, what: "sky", at: s.deleted_at ?? "" },
      restore: () => api.restore(s.id),
      forget: () => api.forget(s.id),
    })),
    ...(bakes.data?.bakes ?? []).map((b) => ({
      ...{ id: b.id, name: b.name, what: "bake", at: b.deleted_at ?? "" },
      restore: () => api.restoreBake(b.id),
      forget: () => api.forgetBake(b.id),
    })),
  ].sort((a, b) => b.at.localeCompare(a.at));
  const error = act.error ?? skies.error ?? bakes.error;
  useFault("bin", error?.message);
  return (
    <div className="flex h-full flex-col">
      <header className="flex h-9 shrink-0 items-center gap-2 border-b border-line px-3">
        <Button weight="quiet" className="-ml-2" onClick={() => go("/")}>
          {t("Skies")}
        </Button>
        <Button weight="quiet" onClick={() => go("/bakes")}>
          {t("Bakes")}
        </Button>
        <h1 className="text-large">{t("Bin")}</h1>
        <span className="flex-1" />
        <Button onClick={() => setSure(true)} disabled={things.length === 0}>
          {t("Empty the bin…")}
        </Button>
      </header>
      <main className="min-h-0 flex-1 overflow-y-auto p-4">
        {things.length === 0 && (
          <p className="text-quiet">
            {t("The bin is empty. What is deleted stays here for {{DAYS}} days.", { DAYS })}
          </p>
        )}
        <ul className="flex max-w-[900px] flex-col divide-y divide-line">
          {things.map((thing) => (
            <li key={thing.id} data-testid="binned" className="flex items-center gap-4 py-2">
              <span className="w-12 text-quiet">{thing.what}</span>
              <span className="min-w-0 flex-1 truncate">{thing.name}</span>
              <span className="text-quiet">
                {t("deleted {{at}}, {{at2}} days left", {
                  at: when(thing.at),
                  at2: daysLeft(thing.at, DAYS),
                })}
              </span>
              <Button
                onClick={() => act.mutate(thing.restore)}
                aria-label={t("Take {{name}} back", { name: thing.name })}
              >
                {t("Take back")}
              </Button>
              <Button
                weight="quiet"
                onClick={() => act.mutate(thing.forget)}
                aria-label={t("Forget {{name}} for good", { name: thing.name })}
              >
                {t("Forget")}
              </Button>
            </li>
          ))}
        </ul>
      </main>
      <NoticeLine />
      {sure && (
        <Dialog title={t("Empty the bin")} open onClose={() => setSure(false)}>
          <p>
            {t("{{value}} forgotten for good, with the files of bakes.", {
              value:
                things.length === 1 ? t("One thing is") : t("{{value}} things are", { value: things.length }),
            })}
          </p>
          <div className="mt-3 flex justify-end gap-2">
            <Button weight="quiet" onClick={() => setSure(false)}>
              {t("Cancel")}
            </Button>
            <Button
              weight="main"
              onClick={() => {
                act.mutate(api.emptyBin);
                setSure(false);
              }}
            >
              {t("Empty it")}
            </Button>
          </div>
        </Dialog>
      )}
    </div>
  );
}
