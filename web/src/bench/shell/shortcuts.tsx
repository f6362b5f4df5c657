import { Dialog } from "../../ui/dialog";

const keys: [string, string][] = [
  ["1 to 9", "Sun, air, clouds (again: the next layer), eye, grade, place, sky, low fog, land"],
  ["g", "Grasp: drag the selected layer by its clouds or their shadow"],
  ["f", "Find a row by a plain word"],
  ["s", "Flick through starters"],
  ["Left, Right on Day", "Ten minutes; Page Up, Page Down an hour"],
  ["Escape", "Fold the sheet away"],
  [".", "Hide or show handles and guides"],
  ["p", "The whole sky around the camera, and back"],
  ["t, c, l", "False colour by stops; what is clipped; levels"],
  ["k", "Keep a reading of what is pointed at; two stay side by side"],
  ["n", "Pin this state"],
  ["0", "Picture takes the whole window, and back"],
  ["Ctrl Z", "Undo"],
  ["Ctrl Shift Z", "Redo"],
  ["Up, Down in a number", "A step more or less"],
  ["?", "This list"],
];

export function Shortcuts({ onClose }: { onClose: () => void }) {
  return (
    <Dialog title="Keys" open onClose={onClose}>
      <dl className="grid grid-cols-[10rem_1fr] gap-y-1">
        {keys.map(([key, does]) => (
          <div key={key} className="contents">
            <dt className="font-value text-quiet">{key}</dt>
            <dd>{does}</dd>
          </div>
        ))}
      </dl>
    </Dialog>
  );
}
