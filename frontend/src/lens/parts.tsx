import type { ReactNode } from "react";
import { useCriterion } from "../api/hooks";
import { Row } from "../shared/controls";
import { Glyph } from "../shared/Glyph";
import { coefficient } from "../shared/numbers";
import { judge } from "../shared/verdict";

/** A figure with its verdict. */
export function Judged(props: {
  label: string;
  value: number | null | undefined;
  figure: string;
  none: string;
  direction?: number;
  reliability?: number | null;
}) {
  const { label, value, figure, none, direction = 1, reliability = null } = props;
  const criterion = useCriterion(figure);
  const title = criterion
    ? `${criterion.definition} ${criterion.source}. Cut-offs ${criterion.cut_off_source}.`
    : undefined;
  return (
    <Row label={label} title={title}>
      {value === null || value === undefined ? (
        <span className="text-quiet">{none}</span>
      ) : (
        <span className="inline-flex items-baseline gap-1.5">
          <Glyph verdict={judge(criterion, value * direction, reliability)} size={8} />
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
