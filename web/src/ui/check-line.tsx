/** Something that is or is not, in words. */
export function CheckLine({
  title,
  on,
  onChange,
}: {
  title: string;
  on: boolean;
  onChange: (on: boolean) => void;
}) {
  return (
    <label className="flex min-h-6 cursor-pointer items-center gap-2">
      <input
        type="checkbox"
        checked={on}
        onChange={(e) => onChange(e.target.checked)}
        className="accent-accent"
      />
      {title}
    </label>
  );
}
