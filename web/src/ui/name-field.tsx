import { useState } from "react";

/** A name that can be typed over; it is kept on Enter and on leaving. */
export function NameField({
  label,
  name,
  save,
}: {
  label: string;
  name: string;
  save: (name: string) => unknown;
}) {
  const [typed, setTyped] = useState<string | null>(null);
  const keep = (entered: string) => {
    const wanted = entered.trim();
    setTyped(null);
    if (wanted && wanted !== name) save(wanted);
  };
  return (
    <input
      aria-label={label}
      maxLength={120}
      className="h-6 w-full border-b border-transparent bg-transparent hover:border-edge focus:border-edge"
      value={typed ?? name}
      data-unentered={typed !== null}
      onChange={(e) => setTyped(e.target.value)}
      onBlur={(e) => keep(e.target.value)}
      onKeyDown={(e) => {
        if (e.key === "Escape") e.currentTarget.value = name;
        if (e.key === "Enter" || e.key === "Escape") e.currentTarget.blur();
      }}
    />
  );
}
