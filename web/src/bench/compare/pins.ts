import { t } from "../../text";
/** Pins of the open sky: made from it, or from a photograph. */

import { useQuery } from "@tanstack/react-query";
import { api, type Pin } from "../../data/api";
import { queryClient } from "../../data/query-client";
import { tell } from "../../ui/notices";
import { useBench } from "../store/bench-store";
import { useComparing } from "../store/comparing";

const keyOf = (sky: string | undefined) => ["pins", sky];

export const usePins = (sky: string | undefined) =>
  useQuery({ queryKey: keyOf(sky), queryFn: () => api.pins(sky ?? ""), enabled: sky !== undefined });

/** Names that are taken are counted on. */
function freeName(pins: Pin[] | undefined): string {
  const taken = new Set(pins?.map((p) => p.name));
  let n = (pins?.length ?? 0) + 1;
  while (taken.has(t("Pin {{n}}", { n }))) n += 1;
  return t("Pin {{n}}", { n });
}

async function pinned(make: () => Promise<Pin>): Promise<Pin | null> {
  try {
    const pin = await make();
    await queryClient.invalidateQueries({ queryKey: keyOf(pin.sky_id) });
    return pin;
  } catch (e) {
    tell({ key: "pins", words: t("It was not pinned: {{message}}", { message: (e as Error).message }) });
    return null;
  }
}

/** Keeps the sky as it is now. */
export async function pinNow() {
  const { record, sky } = useBench.getState();
  if (!record || !sky) return;
  const known = queryClient.getQueryData<Pin[]>(keyOf(record.id));
  const pin = await pinned(() => api.pin(record.id, freeName(known), sky));
  if (pin) tell({ key: "pins", words: t("Pinned: {{name}}.", { name: pin.name }) });
}

/** Keeps a photograph beside the sky, and compares with it. */
export async function pinPhotograph(file: File) {
  const { record } = useBench.getState();
  if (!record) return;
  const pin = await pinned(() => api.pinPhotograph(record.id, file));
  if (pin) useComparing.getState().compare(pin);
}
