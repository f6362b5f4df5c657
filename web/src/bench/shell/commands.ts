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
    { title: "Bake…", words: "export render save map hdri environment volume", run: open.bake },
    { title: "Starters", words: "preset look flick begin", run: open.starters },
    { title: "History", words: "undo steps back earlier", run: () => select("history") },
    { title: "Pins", words: "keep state compare snapshot version reference", run: () => select("pins") },
    { title: "Pin this state", words: "keep snapshot version compare", run: () => void pinNow() },
    { title: "Undo", words: "back", run: undo },
    { title: "Redo", words: "again forward", run: redo },
    { title: "Add clouds", words: "new layer cloud", run: () => select("clouds") },
    { title: "Look around", words: "panorama 360 whole sphere", run: () => turn("panorama") },
    { title: "False colour", words: "stops exposure zebra", run: () => turn("falseColour") },
    { title: "Clipped", words: "hatch zebra white overexposed", run: () => turn("clipped") },
    { title: "Levels", words: "histogram waveform scope", run: () => turn("levels") },
    { title: "Picture takes the window", words: "full screen wide big larger", run: open.wide },
    { title: "Keys", words: "shortcuts keyboard help", run: open.keys },
    { title: "Bakes", words: "queue files downloads", run: () => open.go("/bakes") },
    { title: "Skies", words: "home wall all projects", run: () => open.go("/") },
  ];
}

/** Commands whose title or words begin as all that was typed does. */
export function findCommands(commands: Command[], typed: string): Command[] {
  const words = typed.toLowerCase().split(/\s+/).filter(Boolean);
  if (words.length === 0) return [];
  const said = (c: Command) => ` ${c.title} ${c.words}`.toLowerCase();
  return commands.filter((c) => words.every((w) => said(c).includes(` ${w}`)));
}
