import { t } from "../../text";
/** What the Bench can do, by words that are typed into Find. */

import { pinNow } from "../compare/pins";
import { useBench } from "../store/bench-store";
import { useLooking } from "../store/looking";

export type Command = { title: string; words: string; run: () => void };

/** All commands; those that open something of the Bench are given. */
export function commandsOf(open: {
  bake: () => void;
  starters: () => void;
  keys: () => void;
  wide: () => void;
  go: (path: string) => void;
}): Command[] {
  const { undo, redo, select } = useBench.getState();
  const { turn } = useLooking.getState();
  return [
    { title: t("Bake…"), words: t("export render save map hdri environment volume"), run: open.bake },
    { title: t("Starters"), words: t("preset look flick begin"), run: open.starters },
    { title: t("History"), words: t("undo steps back earlier"), run: () => select("history") },
    {
      title: t("Pins"),
      words: t("keep state compare snapshot version reference"),
      run: () => select("pins"),
    },
    { title: t("Pin this state"), words: t("keep snapshot version compare"), run: () => void pinNow() },
    { title: t("Undo"), words: t("back"), run: undo },
    { title: t("Redo"), words: t("again forward"), run: redo },
    { title: t("Add clouds"), words: t("new layer cloud"), run: () => select("clouds") },
    { title: t("Look around"), words: t("panorama 360 whole sphere"), run: () => turn("panorama") },
    { title: t("False colour"), words: t("stops exposure zebra"), run: () => turn("falseColour") },
    { title: t("Clipped"), words: t("hatch zebra white overexposed"), run: () => turn("clipped") },
    { title: t("Levels"), words: t("histogram waveform scope"), run: () => turn("levels") },
    { title: t("Picture takes the window"), words: t("full screen wide big larger"), run: open.wide },
    { title: t("Keys"), words: t("shortcuts keyboard help"), run: open.keys },
    { title: t("Bakes"), words: t("queue files downloads"), run: () => open.go("/bakes") },
    { title: t("Skies"), words: t("home wall all projects"), run: () => open.go("/") },
  ];
}

/** Commands whose title or words begin as all that was typed does. */
export function findCommands(commands: Command[], typed: string): Command[] {
  const words = typed.toLowerCase().split(/\s+/).filter(Boolean);
  if (words.length === 0) return [];
  const said = (c: Command) => ` ${c.title} ${c.words}`.toLowerCase();
  return commands.filter((c) => words.every((w) => said(c).includes(` ${w}`)));
}
