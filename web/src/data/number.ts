/**
 * Reads what was typed into a number: a plain number, arithmetic ("1500/2"), or a change of the present value
 * ("+10%", "+5", "*2"; also "-5", where numbers can't be negative). Gives null where it says nothing.
 */
export function readNumber(text: string, present: number, negative = true): number | null {
  const t = text.trim().replaceAll(",", ".").replaceAll("−", "-");
  const percent = /^([+-])\s*(\d+(?:\.\d+)?)\s*%$/.exec(t);
  if (percent) return plain(present * (1 + (percent[1] === "-" ? -1 : 1) * (Number(percent[2]) / 100)));
  const relative = (negative ? /^[*/+]./ : /^[*/+-]./).test(t);
  const value = evaluate(relative ? `${present}${t}` : t);
  return value !== null && Number.isFinite(value) ? plain(value) : null;
}

/** 825, not 825.0000000000001. */
const plain = (value: number) => Number(value.toPrecision(12));

/** Sums, products and brackets. */
function evaluate(text: string): number | null {
  const tokens = text.match(/\d+(?:\.\d+)?(?:[eE][+-]?\d+)?|\.\d+|[()+\-*/]/g) ?? [];
  if (tokens.join("") !== text.replace(/\s+/g, "") || tokens.length === 0) return null;
  let i = 0;
  const factor = (): number => {
    const token = tokens[i++];
    if (token === "-") return -factor();
    if (token === "+") return factor();
    if (token === "(") {
      const inner = sum();
      return tokens[i++] === ")" ? inner : NaN;
    }
    return token === undefined ? NaN : Number(token);
  };
  const product = (): number => {
    let value = factor();
    while (tokens[i] === "*" || tokens[i] === "/")
      value = tokens[i++] === "*" ? value * factor() : value / factor();
    return value;
  };
  const sum = (): number => {
    let value = product();
    while (tokens[i] === "+" || tokens[i] === "-")
      value = tokens[i++] === "+" ? value + product() : value - product();
    return value;
  };
  const value = sum();
  return i === tokens.length ? value : null;
}

/** Three or four significant digits, no exponent where it can be helped. */
export function showNumber(value: number): string {
  if (value === 0) return "0";
  const size = Math.abs(value);
  if (size < 1e-4 || size >= 1e7) return value.toExponential(2);
  const digits =
    size >= 1000
      ? 0
      : size >= 100
        ? 1
        : size >= 10
          ? 2
          : size >= 1
            ? 2
            : size >= 0.1
              ? 3
              : size >= 0.01
                ? 4
                : 6;
  return String(Number(value.toFixed(digits)));
}
