const WORDS = {
  quality: {
    title: "Quality",
    text: "This station will hold the measurement tables: loadings, reliability, discriminant validity, collinearity and residuals, each with its criterion.",
    now: "Until then the board shows every loading, and the lens shows alpha, composite reliability, AVE and VIF of what you select.",
  },
} as const;

/** A station that is not built yet says so. */
export default function LaterStation() {
  const words = WORDS.quality;
  return (
    <div className="grid h-full place-content-center justify-items-center gap-3 px-8 text-center">
      <svg width="120" height="12" viewBox="0 0 120 12" aria-hidden="true">
        <path d="M0 11h120" className="stroke-line" strokeWidth="1.2" />
        <path d="M54 11a6 6 0 0 1 12 0z" className="fill-base-300" />
      </svg>
      <h1 className="font-serif text-xl font-semibold">{words.title} is not built yet</h1>
      <p className="max-w-lg">{words.text}</p>
      <p className="max-w-lg text-quiet">{words.now}</p>
    </div>
  );
}
