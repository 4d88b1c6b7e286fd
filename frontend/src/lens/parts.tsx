import type { ReactNode } from "react";
import type { Criterion } from "../api/client";
import { Glyph } from "../shared/Glyph";
import { coefficient } from "../shared/numbers";
import { judge } from "../shared/verdict";

export function Row({ label, children, title }: { label: string; children: ReactNode; title?: string }) {
  return (
    <div className="flex items-baseline justify-between gap-3 py-0.5" title={title}>
      <span className="text-quiet">{label}</span>
      <span className="text-right">{children}</span>
    </div>
  );
}

/** A figure with its verdict. */
export function Judged(props: {
  label: string;
  value: number | null | undefined;
  criterion: Criterion | undefined;
  none: string;
  direction?: number;
}) {
  const { label, value, criterion, none, direction = 1 } = props;
  const title = criterion
    ? `${criterion.definition} ${criterion.source}. Cut-offs ${criterion.cut_off_source}.`
    : undefined;
  return (
    <Row label={label} title={title}>
      {value === null || value === undefined ? (
        <span className="text-quiet">{none}</span>
      ) : (
        <span className="inline-flex items-baseline gap-1.5">
          <Glyph verdict={judge(criterion, value * direction)} size={8} />
          {coefficient(value)}
        </span>
      )}
    </Row>
  );
}

export function Kind({ children }: { children: string }) {
  return <p className="text-sm text-quiet">{children}</p>;
}

export function Title({ children }: { children: ReactNode }) {
  return <h2 className="break-words font-serif text-[18px] font-semibold leading-6">{children}</h2>;
}

export function Headline({ value, bounds, basis }: { value: string; bounds: string; basis: string }) {
  return (
    <div className="my-2 flex items-end gap-2.5">
      <span className="text-[34px] font-light leading-9">{value}</span>
      <span className="min-w-0 text-sm leading-4">
        <span className="block">{bounds}</span>
        <span className="block text-xs text-quiet">{basis}</span>
      </span>
    </div>
  );
}

export function Rule() {
  return <hr className="my-2.5 border-line" />;
}

export function Action(props: { onClick: () => void; children: ReactNode; title?: string }) {
  return (
    <button
      className="btn btn-sm border-none bg-base-300 font-semibold"
      title={props.title}
      onClick={props.onClick}
    >
      {props.children}
    </button>
  );
}
