/** Models are told apart by shape as well as colour. */
const COLOURS = ["text-ember", "text-indigo", "text-lake", "text-plum"];

export function colourOf(at: number): string {
  return COLOURS[at % COLOURS.length] ?? "";
}

/** The shape of a column, drawn around a point. */
export function Shape({ at, x, y, size = 4 }: { at: number; x: number; y: number; size?: number }) {
  const s = size;
  if (at % 4 === 1) return <rect x={x - s} y={y - s} width={2 * s} height={2 * s} fill="currentColor" />;
  if (at % 4 === 2)
    return (
      <path d={`M${x} ${y - s * 1.2}L${x + s * 1.2} ${y + s}L${x - s * 1.2} ${y + s}Z`} fill="currentColor" />
    );
  if (at % 4 === 3)
    return (
      <path
        d={`M${x} ${y - s * 1.3}L${x + s * 1.3} ${y}L${x} ${y + s * 1.3}L${x - s * 1.3} ${y}Z`}
        fill="currentColor"
      />
    );
  return <circle cx={x} cy={y} r={s} fill="currentColor" />;
}

/** The same beside words. */
export function Mark({ at }: { at: number }) {
  return (
    <svg
      viewBox="0 0 12 12"
      width={11}
      height={11}
      className={`inline shrink-0 ${colourOf(at)}`}
      aria-hidden="true"
    >
      <Shape at={at} x={6} y={6} />
    </svg>
  );
}
