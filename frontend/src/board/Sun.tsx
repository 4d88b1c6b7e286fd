/** The sun of a card: it rises over the horizon with R². Without R² there is only the horizon. */
export function Sun({ share, title }: { share: number | null; title: string }) {
  const radius = 11;
  const risen = Math.max(0, Math.min(1, share ?? 0));
  const centre = 13 + radius * (1 - risen);
  return (
    <svg width="28" height="15" viewBox="0 0 28 15" role="img" aria-label={title} className="shrink-0">
      <title>{title}</title>
      {share !== null && (
        <>
          <clipPath id="above-horizon">
            <rect x="0" y="0" width="28" height="13" />
          </clipPath>
          <circle cx="14" cy={centre} r={radius} className="fill-gold" clipPath="url(#above-horizon)" />
        </>
      )}
      <path d="M1 13.5h26" className={share === null ? "stroke-line" : "stroke-ember"} strokeWidth="1" />
    </svg>
  );
}
