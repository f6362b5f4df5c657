import { t } from "../../text";
/** What the Picture is compared with, and how. No part of any sky. */

import { create } from "zustand";
import type { Pin } from "../../data/api";

/** Side by side, one over the other up to an edge, one after the other, or what lies between them. */
export type Way = "wipe" | "beside" | "flicker" | "difference";

export const wayTitles: Record<Way, string> = {
  wipe: t("Wipe"),
  beside: t("Side by side"),
  flicker: t("Flicker"),
  difference: t("Difference"),
};

type Comparing = {
  pin: Pin | null;
  way: Way;
  /** Where the edge of the wipe stands, share of the width. */
  edge: number;
  compare: (pin: Pin | null) => void;
  setWay: (way: Way) => void;
  setEdge: (edge: number) => void;
};

export const useComparing = create<Comparing>((set) => ({
  pin: null,
  way: "wipe",
  edge: 0.5,
  compare: (pin) => set({ pin }),
  setWay: (way) => set({ way }),
  setEdge: (edge) => set({ edge: Math.max(0, Math.min(1, edge)) }),
}));
