import { create } from "zustand";
import { Button } from "./button";
import { ViewLink } from "./view-link";

/** What was deleted while the page is open, last first, and how it comes back. */
type Deleted = { name: string; restore: () => Promise<unknown> };

const useDeleted = create<{ list: Deleted[] }>(() => ({ list: [] }));

export const wasDeleted = (one: Deleted) => useDeleted.setState(({ list }) => ({ list: [one, ...list] }));

/** Says what was deleted last; each press brings one back, and all of it is in the bin. */
export function DeletedNote({ onRestored }: { onRestored: () => void }) {
  const list = useDeleted((s) => s.list);
  const last = list[0];
  if (!last) return null;
  const undo = async () => {
    await last.restore();
    useDeleted.setState({ list: useDeleted.getState().list.filter((one) => one !== last) });
    onRestored();
  };
  return (
    <p role="status" className="flex items-center gap-2 border-b border-line bg-panel px-3 py-1">
      “{last.name}” {list.length > 1 ? `and ${list.length - 1} more are` : "is"} in the bin.
      <Button onClick={() => void undo()}>Undo</Button>
      <ViewLink path="/bin" className="px-2 py-1 text-quiet underline hover:text-ink">
        Bin
      </ViewLink>
      <Button weight="quiet" onClick={() => useDeleted.setState({ list: [] })}>
        Close
      </Button>
    </p>
  );
}
