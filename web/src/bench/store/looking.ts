/** How the Picture is looked at: guides, marks and readings. Kept in the browser, no part of any sky. */

import { create } from "zustand";
import { createJSONStorage, persist } from "zustand/middleware";
import type { Direction } from "../../data/camera";
import { guideNames, type GuideName } from "../preview/guides";

export type Guide = { on: boolean; weight: number };

/** What was read at a direction. */
export type Reading = {
  direction: Direction;
  /** cd/m2. */
  luminance: number;
  /** 0 to 255. */
  display: [number, number, number];
  /** From grey of the exposure. */
  stops: number;
};

/** Thickness of a guide's line, pixels. */
export const WEIGHTS = [0.5, 1, 2, 3] as const;
/** Readings that are kept side by side. */
const MOST_KEPT = 2;

type Kept = {
  guides: Record<GuideName, Guide>;
  falseColour: boolean;
  clipped: boolean;
  levels: boolean;
};

type Looking = Kept & {
  /** The whole sphere in place of what the lens shows. */
  panorama: boolean;
  /** What lies under the pointer. */
  pointed: Reading | null;
  readings: Reading[];
  /** Whether a click in the Picture keeps a reading. */
  keeping: boolean;
  turn: (what: "falseColour" | "clipped" | "levels" | "panorama" | "keeping") => void;
  setGuide: (name: GuideName, guide: Partial<Guide>) => void;
  point: (reading: Reading | null) => void;
  keepReading: () => void;
  dropReadings: () => void;
};

const guides = Object.fromEntries(guideNames.map((name) => [name, { on: false, weight: 1 }])) as Record<
  GuideName,
  Guide
>;

export const useLooking = create<Looking>()(
  persist(
    (set, get) => ({
      guides,
      falseColour: false,
      clipped: false,
      levels: false,
      panorama: false,
      pointed: null,
      readings: [],
      keeping: false,
      turn: (what) => set((s) => ({ [what]: !s[what] })),
      setGuide: (name, guide) =>
        set((s) => ({ guides: { ...s.guides, [name]: { ...s.guides[name], ...guide } } })),
      point: (pointed) => set({ pointed }),
      keepReading: () => {
        const { pointed, readings } = get();
        if (pointed) set({ readings: [...readings, pointed].slice(-MOST_KEPT) });
      },
      dropReadings: () => set({ readings: [] }),
    }),
    {
      name: "tenter:looking",
      storage: createJSONStorage(() => localStorage),
      partialize: ({ guides, falseColour, clipped, levels }): Kept => ({
        guides,
        falseColour,
        clipped,
        levels,
      }),
      // A guide that was not known when these were kept is as usual.
      merge: (kept, usual) => {
        const known = (kept ?? {}) as Partial<Kept>;
        return { ...usual, ...known, guides: { ...usual.guides, ...known.guides } };
      },
    },
  ),
);
