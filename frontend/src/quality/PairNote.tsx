import type { ModelState } from "../client/client";
import { useCriteria, useSample } from "../api/hooks";
import { propose } from "../desk/desk";
import { merging, removal } from "../desk/doing";
import { TextButton } from "../shared/controls";
import { Glyph } from "../shared/Glyph";
import { coefficient, interval } from "../shared/numbers";
import { judge } from "../shared/verdict";
import type { Measured } from "./use";

const MOST = 4;

/** What is behind one HTMT: its interval and variants, the correlations of items that drive it, and merging the two. */
export function PairNote(props: {
  model: ModelState;
  measured: Measured;
  pair: { a: string; b: string };
  close: () => void;
}) {
  const { model, measured, close } = props;
  const { a, b } = props.pair;
  const criterion = useCriteria().get("htmt");
  const matrix = useSample(model, true).data?.correlations ?? null;
  const same = (pair: { a: string; b: string }) =>
    (pair.a === a && pair.b === b) || (pair.a === b && pair.b === a);
  const found = measured.htmt.find(same);
  const geometric = measured.htmt2?.find(same)?.value ?? null;
  const itemsOf = (name: string) =>
    measured.loadings.filter((l) => l.construct === name).map((l) => l.indicator);
  const between = itemsOf(a).flatMap((first) =>
    itemsOf(b).map((second) => {
      const value = matrix?.values[matrix.rows.indexOf(first)]?.[matrix.columns.indexOf(second)] ?? null;
      return { first, second, value };
    }),
  );
  const driving = between
    .filter((one) => one.value !== null)
    .sort((one, other) => Math.abs(other.value ?? 0) - Math.abs(one.value ?? 0))
    .slice(0, MOST);
  if (!found) return null;
  return (
    <div className="mt-2 rounded-box bg-base-200 px-3 py-2 text-sm" data-testid="pair">
      <p className="flex items-baseline justify-between gap-3">
        <span className="font-semibold">
          {a} with {b}
        </span>
        <TextButton className="font-normal" onClick={close}>
          fold
        </TextButton>
      </p>
      <p>
        HTMT {coefficient(found.value, 3)} <Glyph verdict={judge(criterion, found.value)} size={8} />{" "}
        {found.bootstrap ? interval(found.bootstrap.headline, 3) : ""}; HTMT2 {coefficient(geometric, 3)}
        {found.signed !== null && Math.abs((found.signed ?? 0) - (found.value ?? 0)) > 0.0005
          ? `; from signed correlations ${coefficient(found.signed, 3)}`
          : "; the same from signed correlations"}
        .
      </p>
      {driving.length > 0 && (
        <p>
          <span className="text-quiet">Driven by</span>{" "}
          {driving.map((one) => `${one.first} with ${one.second} ${coefficient(one.value)}`).join(", ")}.
        </p>
      )}
      <TextButton onClick={() => propose(merging(b, a))}>Merge the two…</TextButton>
      <TextButton
        className="ml-4"
        onClick={() => {
          const gone = removal([{ kind: "construct", name: b }], model);
          if (gone) propose({ ...gone, prompted: "data" });
        }}
      >
        Take {b} out…
      </TextButton>
    </div>
  );
}
