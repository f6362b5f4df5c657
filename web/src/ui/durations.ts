/** A duration in words, from seconds. */
export const leftWords = (s: number) =>
  s < 90
    ? `${Math.max(1, Math.round(s))} s`
    : s < 5400
      ? `${Math.round(s / 60)} min`
      : `${(s / 3600).toFixed(1)} h`;
