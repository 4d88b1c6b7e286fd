import type { ButtonHTMLAttributes, ReactNode } from "react";

type Plain = ButtonHTMLAttributes<HTMLButtonElement>;
type Size = "sm" | "xs";

/** A button that does something to what is looked at. */
export function Action({ size = "sm", className = "", ...rest }: Plain & { size?: Size }) {
  const small = size === "sm" ? "btn-sm font-semibold" : "btn-xs";
  return <button type="button" className={`btn ${small} border-none bg-base-300 ${className}`} {...rest} />;
}

/** The one button that a screen is for. */
export function Primary({ size = "sm", className = "", ...rest }: Plain & { size?: Size }) {
  return (
    <button className={`btn btn-primary ${size === "sm" ? "btn-sm" : "btn-xs"} ${className}`} {...rest} />
  );
}

/** A button that lets go, goes back, or puts away. */
export function Quiet({ size = "sm", className = "", ...rest }: Plain & { size?: Size }) {
  return (
    <button
      type="button"
      className={`btn btn-ghost ${size === "sm" ? "btn-sm" : "btn-xs"} ${className}`}
      {...rest}
    />
  );
}

/** A button that is a picture; its name is read out and shown on pointing. */
export function Symbol({ label, size = "sm", ...rest }: Plain & { label: string; size?: Size }) {
  return <Quiet aria-label={label} title={label} size={size} className="btn-square" {...rest} />;
}

/** One of a few that are all in sight: which is on is pressed. */
export function OneOf<Key extends string>(props: {
  label: string;
  choices: { key: Key; words: string }[];
  value: Key | undefined;
  set: (key: Key) => void;
  className?: string;
}) {
  const { label, choices, value, set, className = "" } = props;
  return (
    <div role="group" aria-label={label} className="flex gap-1.5">
      {choices.map(({ key, words }) => (
        <Quiet
          key={key}
          className={`bg-base-200 font-normal aria-pressed:bg-base-300 aria-pressed:font-semibold ${className}`}
          aria-pressed={key === value}
          onClick={() => set(key)}
        >
          {words}
        </Quiet>
      ))}
    </div>
  );
}

export const LINK = "font-semibold text-ember hover:underline";

/** A button among words. */
export function TextButton({ className = "", ...rest }: Plain) {
  return <button type="button" className={`${LINK} ${className}`} {...rest} />;
}

/** The page of docs/methods that explains what is on screen. */
export function Explained({ page, children }: { page: string; children: ReactNode }) {
  return (
    <a className={`text-sm ${LINK}`} href={`/methods/${page}`} target="_blank">
      {children}
    </a>
  );
}

/** The small words over a group of things. */
export function Heading({ children, className = "mb-1" }: { children: ReactNode; className?: string }) {
  return <h2 className={`text-sm text-quiet ${className}`}>{children}</h2>;
}

/** A name and what belongs to it, on one line. */
export function Row({ label, children, title }: { label: string; children: ReactNode; title?: string }) {
  return (
    <div className="flex items-baseline justify-between gap-3 py-0.5" title={title}>
      <span className="text-quiet">{label}</span>
      <span className="text-right">{children}</span>
    </div>
  );
}

/** A choice of one among several. */
export function Choose<V extends string | number>(props: {
  label: string;
  value: V;
  choices: { value: V; words: string }[];
  set: (value: V) => void;
  size?: Size;
  className?: string;
}) {
  const { label, value, choices, set, size = "sm", className = "" } = props;
  return (
    <select
      className={`select ${size === "sm" ? "select-sm" : "select-xs"} ${className}`}
      aria-label={label}
      value={value}
      onChange={(event) => {
        const chosen = choices.find((choice) => String(choice.value) === event.target.value);
        if (chosen) set(chosen.value);
      }}
    >
      {choices.map((choice) => (
        <option key={choice.value} value={choice.value}>
          {choice.words}
        </option>
      ))}
    </select>
  );
}

/** A station or view with nothing to show yet: why, and what to do. */
export function NothingYet({ title, children }: { title: string; children: ReactNode }) {
  return (
    <div className="grid h-full place-content-center gap-2 text-center">
      <h1 className="font-serif text-xl font-semibold">{title}</h1>
      <p className="max-w-md text-quiet">{children}</p>
    </div>
  );
}
