import { t } from "../../text";
import { useEffect, useRef, useState } from "react";
import type { Schema } from "../../data/fields";
import type { Sky } from "../../data/sky";
import { useBench } from "../store/bench-store";
import { find, groupsOf } from "../sheet/document-rows";
import { GroupRows } from "../sheet/rows/rows";
import { findCommands, type Command } from "./commands";

/** Type a plain word: the rows that do it come up live, whichever object owns them. */
export function Find({
  sky,
  schema,
  commands,
  onClose,
}: {
  sky: Sky;
  schema: Schema;
  commands: Command[];
  onClose: () => void;
}) {
  const [typed, setTyped] = useState("");
  const input = useRef<HTMLInputElement>(null);
  const select = useBench((s) => s.select);
  useEffect(() => input.current?.focus(), []);
  const found = find(groupsOf(sky, schema), typed);
  const acts = findCommands(commands, typed);
  return (
    <div
      data-testid="find"
      role="search"
      className="flex w-[310px] shrink-0 flex-col border-l border-line bg-panel"
      onKeyDown={(e) => {
        if (e.key === "Escape") {
          e.stopPropagation();
          onClose();
        }
      }}
    >
      <input
        ref={input}
        type="search"
        aria-label={t("Find a row by a plain word")}
        placeholder={t("redder, ozone, softer shadows…")}
        value={typed}
        onChange={(e) => setTyped(e.target.value)}
        className="m-2 h-6 rounded-soft border border-edge bg-bench px-2"
      />
      <div className="min-h-0 overflow-y-auto px-3 pb-2">
        {acts.length > 0 && (
          <ul data-testid="commands" className="border-b border-line pb-1">
            {acts.map((c) => (
              <li key={c.title}>
                <button
                  type="button"
                  className="min-h-6 w-full cursor-pointer px-1 text-left hover:bg-raised"
                  onClick={() => {
                    onClose();
                    c.run();
                  }}
                >
                  {c.title}
                </button>
              </li>
            ))}
          </ul>
        )}
        {found.map((g) => (
          <section key={`${g.owner} ${g.fields[0]?.name}`}>
            <button
              type="button"
              className="min-h-6 cursor-pointer text-small text-quiet hover:text-ink hover:underline"
              onClick={() => select(g.selection)}
            >
              {g.owner}
            </button>
            <GroupRows group={g} />
          </section>
        ))}
        {typed.trim() && found.length + acts.length === 0 && (
          <p className="pb-1 text-quiet">{t("No row does that. Try a plainer word.")}</p>
        )}
      </div>
    </div>
  );
}
