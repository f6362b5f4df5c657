import type { ButtonHTMLAttributes } from "react";

type Weight = "main" | "plain" | "quiet";

const weights: Record<Weight, string> = {
  main: "bg-accent text-white hover:brightness-110",
  plain: "border border-edge text-ink hover:bg-raised",
  quiet: "text-quiet hover:bg-raised hover:text-ink",
};

/** The one button; `main` is for the one main action of a view. */
export function Button({
  weight = "plain",
  className = "",
  ...rest
}: ButtonHTMLAttributes<HTMLButtonElement> & { weight?: Weight }) {
  return (
    <button
      type="button"
      className={`min-h-6 cursor-pointer rounded-soft px-3 py-1 whitespace-nowrap disabled:cursor-default disabled:opacity-45 ${weights[weight]} ${className}`}
      {...rest}
    />
  );
}
