const R = 5;

/** The moon's disc with its lit part, as seen from the north: it waxes on the right. */
export function MoonGlyph({ lit, waxing }: { lit: number; waxing: boolean }) {
  // The terminator is half an ellipse; past half moon it bulges to the dark side.
  const bulge = R * Math.abs(1 - 2 * lit);
  const toward = waxing ? 1 : 0;
  const back = lit > 0.5 ? toward : 1 - toward;
  return (
    <svg width={12} height={12} viewBox="-6 -6 12 12" aria-hidden>
      <circle r={R} fill="#3a3a3a" stroke="#8a8a8a" strokeWidth={0.6} />
      <path
        d={`M0 ${-R} A${R} ${R} 0 0 ${toward} 0 ${R} A${bulge} ${R} 0 0 ${back} 0 ${-R}`}
        fill="#ececec"
      />
    </svg>
  );
}
