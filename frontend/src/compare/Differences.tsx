import { coefficient, plain, pWords } from "../shared/numbers";
import { Mark } from "./shapes";
import type { Compared } from "./SideBySide";

type Pair = Compared["pairs"][number];

/** What differs from the first model in words, whether the freer model is needed, and what cannot be tested. */
export function Differences({ found }: { found: Compared }) {
  const { models, pairs } = found;
  const tested = pairs.filter((pair) => pair.difference);
  const untested = pairs.filter((pair) => !pair.difference);
  const weights = models.filter((m) => m.aic_weight !== null);
  return (
    <>
      <section aria-labelledby="differs">
        <h2 id="differs" className="font-serif text-[18px] font-semibold">
          What differs
        </h2>
        {models.slice(1).map((m, i) => (
          <div key={i} className="mt-2 flex items-baseline gap-2">
            <Mark at={i + 1} />
            <div className="min-w-0">
              <span className="font-semibold">{m.name}</span>
              {!m.estimated && <p>Not estimated: {m.message}</p>}
              {m.differs.map((sentence) => (
                <p key={sentence} className="mt-0.5">
                  {sentence}
                </p>
              ))}
            </div>
          </div>
        ))}
      </section>
      {tested.map((pair) => (
        <Tested key={`${pair.first} ${pair.second}`} pair={pair} found={found} />
      ))}
      {tested.length > 0 && weights.length > 1 && (
        <p className="mt-1 text-sm text-quiet">
          By weight of evidence (AIC, BIC):{" "}
          {weights
            .map((m) => `${m.name} ${coefficient(m.aic_weight)}, ${coefficient(m.bic_weight)}`)
            .join("; ")}
          .
        </p>
      )}
      {untested.length > 0 && (
        <section aria-labelledby="untested" className="mt-5">
          <h2 id="untested" className="font-serif text-[18px] font-semibold">
            Not to be tested
          </h2>
          {[...new Set(untested.map((pair) => pair.reason))].map((reason) => (
            <p key={reason} className="mt-1">
              {untested
                .filter((pair) => pair.reason === reason)
                .map((pair) => (
                  <span key={`${pair.first} ${pair.second}`} className="mr-2 whitespace-nowrap">
                    <Mark at={pair.first} /> <Mark at={pair.second} />
                  </span>
                ))}
              {reason}
            </p>
          ))}
        </section>
      )}
    </>
  );
}

function Tested({ pair, found }: { pair: Pair; found: Compared }) {
  const { difference } = pair;
  const [first, second] = [found.models[pair.first], found.models[pair.second]];
  if (!difference || !first || !second) return null;
  const p = difference.scaled_p ?? difference.p_value;
  return (
    <section aria-label={`Test of ${first.name} and ${second.name}`} className="mt-5">
      <h2 className="font-serif text-[18px] font-semibold">Is the freer model needed?</h2>
      <p className="mt-0.5 flex items-baseline gap-2">
        <span className="font-serif text-[24px] leading-8">
          Δχ² = {plain(difference.scaled ?? difference.chi_square, 1)}
        </span>
        <span className="text-quiet">
          Δdf = {difference.df}, {pWords(p)}
          {difference.scaled !== null && ", scaled"}
        </span>
      </p>
      <p>
        {p === null
          ? "There is nothing to test."
          : p < 0.05
            ? "Yes: it fits better by more than chance."
            : "No: the simpler model does as well."}{" "}
        <span className="text-sm text-quiet">
          <Mark at={pair.first} /> <Mark at={pair.second} /> {pair.reason}, checked by numbers
        </span>
      </p>
    </section>
  );
}
