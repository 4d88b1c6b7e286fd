/** The picture of the start page: a low sun over a wide plain, and an arrow across it. */
export function Horizon() {
  return (
    <svg
      viewBox="0 0 1280 170"
      className="h-[170px] w-full shrink-0"
      preserveAspectRatio="xMidYMax slice"
      aria-hidden="true"
    >
      <defs>
        <linearGradient id="sky" x1="0" x2="0" y1="0" y2="1">
          <stop offset="0" stopColor="var(--color-base-100)" />
          <stop offset="1" stopColor="var(--board-foot)" />
        </linearGradient>
        <clipPath id="sky-clip">
          <rect x="0" y="0" width="1280" height="128" />
        </clipPath>
      </defs>
      <rect width="1280" height="128" fill="url(#sky)" />
      <circle cx="880" cy="136" r="74" className="fill-gold" clipPath="url(#sky-clip)" />
      <path
        d="M0 104c140-16 240 10 380 4s210-26 330-12 180 20 300 14 180-20 270-10v28H0z"
        className="fill-indigo/15"
      />
      <path d="M0 116c180-12 300 8 470 4s280-18 430-6 250 8 380-2v16H0z" className="fill-indigo/20" />
      <path d="M0 128h1280" className="stroke-ember" strokeWidth="1.4" />
      <path
        d="M250 152C480 164 640 92 838 62"
        fill="none"
        className="stroke-ember"
        strokeWidth="4"
        strokeLinecap="round"
      />
      <path d="M0 0 -20 -8.5 -20 8.5Z" transform="translate(858 59) rotate(-9)" className="fill-ember" />
      <path d="M0 128h1280v42H0z" className="fill-base-200/60" />
    </svg>
  );
}
