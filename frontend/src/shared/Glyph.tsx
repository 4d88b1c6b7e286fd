import type { Verdict } from "../client/client";
import { VERDICT_WORDS } from "./verdict";

const COLOURS: Record<Verdict, string> = {
  meets: "text-lake",
  borderline: "text-gold",
  misses: "text-plum",
  none: "text-quiet",
};

/** A verdict as a sun: full, half, a ring, or a dash; the word is its name. */
export function Glyph({ verdict, words, size = 9 }: { verdict: Verdict; words?: string; size?: number }) {
  const label = words ?? VERDICT_WORDS[verdict];
  return (
    <svg
      viewBox="0 0 10 10"
      width={size}
      height={size}
      role="img"
      aria-label={label}
      className={`inline-block shrink-0 ${COLOURS[verdict]}`}
    >
      <title>{label}</title>
      {verdict === "meets" && <circle cx="5" cy="5" r="4.4" fill="currentColor" />}
      {verdict === "borderline" && (
        <>
          <circle cx="5" cy="5" r="3.9" fill="none" stroke="currentColor" strokeWidth="1.1" />
          <path d="M5 .8a4.2 4.2 0 0 0 0 8.4z" fill="currentColor" />
        </>
      )}
      {verdict === "misses" && (
        <circle cx="5" cy="5" r="3.7" fill="none" stroke="currentColor" strokeWidth="1.6" />
      )}
      {verdict === "none" && <path d="M2 5h6" stroke="currentColor" strokeWidth="1.2" />}
    </svg>
  );
}
