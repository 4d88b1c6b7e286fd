import { useState, type ReactNode } from "react";
import type { Schemas, Verdict } from "../client/client";
import { useChoices, useCriteria, useListed } from "../api/hooks";
import { TextButton } from "../shared/controls";
import { Glyph } from "../shared/Glyph";
import { coefficient, containsZero, interval, plain, pWords, written } from "../shared/numbers";
import { Table, type TableColumn } from "../shared/Table";
import { judge } from "../shared/verdict";
import { gapWords, scaleOf } from "./scale";
import { colourOf, Mark, Shape } from "./shapes";

/** An estimator in words, as the settings have them. */
function estimatorWords(families: Schemas["FamilyPart"][], m: { family: string; estimator: string }) {
  const known = families
    .find((family) => family.key === m.family)
    ?.options.find((o) => o.name === "estimator");
  return known?.choices.find((choice) => choice.value === m.estimator)?.words ?? m.estimator;
}

const NAMES = 180; // px, of the words before what is drawn
const WIDTH = 260; // of what is drawn
const EACH = 220; // of a model, where there is room

/** All tables of the page have their models at the same places. */
const widthOf = (models: Column[]) => ({ maxWidth: NAMES + WIDTH + EACH * models.length });
const ALIKE = 3; // as many have room for everything at one width

export type Compared = Schemas["Compared"];
type Column = Compared["models"][number];
type Path = Compared["paths"][number];

/** Models as columns: figures, then every path as a whisker with its value and its distance from the first. */
export function SideBySide({ found, begin }: { found: Compared; begin: (column: Column) => void }) {
  const figures = useListed("models").filter(({ key }) =>
    found.models.some((m) => typeof m.fit?.[key as "cfi"] === "number"),
  );
  const families = useChoices()?.families ?? [];
  const { models, paths } = found;
  const explained = [...new Set(models.flatMap((m) => Object.keys(m.r_squared)))].filter((name) =>
    paths.some((p) => p.to === name),
  );
  const tests = (m: Column) => families.find((one) => one.key === m.family)?.traits.tests ?? true;
  const nothing = (m: Column) => (m.estimated ? (tests(m) ? "–" : "not of this family") : "not estimated");
  const rows: Row[] = [
    { key: "cases", words: "cases", text: (m) => String(m.n_used ?? "–") },
    {
      key: "test",
      words: "χ² (df), p",
      text: (m) => {
        const { chi_square, df, p_value } = m.fit ?? {};
        return typeof chi_square === "number"
          ? `${plain(chi_square, 1)} (${df}), ${pWords(p_value)}`
          : nothing(m);
      },
    },
    ...figures.map((criterion): Row => {
      const of = (m: Column) => m.fit?.[criterion.key as "cfi"];
      const beside = (m: Column) =>
        criterion.key === "rmsea" && m.fit?.rmsea_interval ? ` ${interval(m.fit.rmsea_interval, 3)}` : "";
      return {
        key: criterion.key,
        words: criterion.label,
        text: (m) => {
          const value = of(m);
          return typeof value === "number" ? written(criterion, value) + beside(m) : nothing(m);
        },
        verdict: (m) => {
          const value = of(m);
          if (typeof criterion.good !== "number" || typeof value !== "number") return null;
          return judge(criterion, m.fit?.df === 0 ? null : value);
        },
      };
    }),
    ...explained.map((name): Row => ({
      key: `R² ${name}`,
      words: `R² ${name}`,
      text: (m) => (m.estimated ? coefficient(m.r_squared[name]) : nothing(m)),
    })),
  ];
  const over = (m: Column, at: number) => (
    <>
      <span className="flex items-center justify-end gap-1.5">
        <Mark at={at} />
        <span className="truncate font-serif text-[15px] font-semibold text-base-content" title={m.words}>
          {m.name}
        </span>
      </span>
      <span className="block text-xs text-quiet">
        {families.find((family) => family.key === m.family)?.words}, {estimatorWords(families, m)}
      </span>
      {m.estimated && !m.intervals && (
        <TextButton className="text-sm" onClick={() => begin(m)}>
          Add intervals
        </TextButton>
      )}
    </>
  );
  return (
    <div style={widthOf(models)}>
      <Table
        className="mt-2"
        label="Figures of the models"
        fixed
        dense
        rows={rows}
        keyOf={(row) => row.key}
        columns={[WORDS, ...models.map((m, at) => cells(m, at, over(m, at)))]}
      />
      {paths.length > 0 && <Whiskers models={models} paths={paths} />}
      {models.length > 1 && <Measurement models={models} />}
    </div>
  );
}

/** A line of a table with a column for each model. */
interface Row {
  key: string;
  words: string;
  text: (model: Column) => string;
  verdict?: (model: Column) => Verdict | null;
}

const WORDS: TableColumn<Row> = {
  key: "statistic",
  head: "",
  hidden: "statistic",
  heads: true,
  left: true,
  width: `${NAMES + WIDTH}px`,
  className: "text-quiet",
  value: (row) => row.words,
};

function cells(m: Column, at: number, over: ReactNode): TableColumn<Row> {
  return {
    key: String(at),
    head: m.name,
    over,
    className: (row) => (/^not/.test(row.text(m)) ? "text-sm text-quiet" : "tabular-nums"),
    value: (row) => row.text(m),
    show: (row) => {
      const verdict = row.verdict?.(m) ?? null;
      return (
        <>
          {verdict && <Glyph verdict={verdict} size={8} />} {row.text(m)}
        </>
      );
    },
  };
}

const OF_CONSTRUCTS = [
  { key: "ave", words: "AVE" },
  { key: "composite_reliability", words: "composite reliability" },
  { key: "rho_a", words: "rho_A" },
  { key: "alpha", words: "alpha" },
  { key: "htmt_highest", words: "highest HTMT", criterion: "htmt" },
] as const;

/** Loadings and reliabilities of every construct in every model, with what the cut-offs say of them. */
function Measurement({ models }: { models: Column[] }) {
  const criteria = useCriteria();
  const names = [...new Set(models.flatMap((m) => m.constructs.map((c) => c.name)))];
  const [open, unfold] = useState<string | null>(null);
  const groups = names.map((name) => {
    const own = (m: Column) => m.constructs.find((c) => c.name === name);
    const loadings = (m: Column) => m.loadings.filter((l) => l.construct === name);
    const items = [...new Set(models.flatMap((m) => loadings(m).map((l) => l.indicator)))];
    const rows = OF_CONSTRUCTS.filter(({ key }) => models.some((m) => typeof own(m)?.[key] === "number")).map(
      ({ key, words, ...rest }): Row => ({
        key: `${name} ${key}`,
        words,
        text: (m) => {
          const value = own(m)?.[key];
          if (typeof value === "number") return coefficient(value);
          return own(m) ? "not of this family" : "not in it";
        },
        verdict: (m) => {
          const value = own(m)?.[key];
          const criterion = criteria.get("criterion" in rest ? rest.criterion : key);
          return typeof value === "number" ? judge(criterion, value, own(m)?.composite_reliability) : null;
        },
      }),
    );
    const ofItems = items.map((item): Row => ({
      key: `${name} ${item}`,
      words: item,
      text: (m) => {
        const line = loadings(m).find((l) => l.indicator === item);
        return line ? coefficient(line.loading) : "not in it";
      },
    }));
    return {
      key: name,
      heading: (
        <span className="block pt-1.5 font-semibold">
          {name}{" "}
          <TextButton
            className="text-sm font-normal"
            aria-expanded={open === name}
            onClick={() => unfold(open === name ? null : name)}
          >
            {open === name ? "fold" : `${items.length} ${items.length === 1 ? "item" : "items"}`}
          </TextButton>
        </span>
      ),
      rows: open === name ? [...rows, ...ofItems] : rows,
    };
  });
  const mark = (m: Column, at: number) => (
    <>
      <Mark at={at} /> <span className="sr-only">{m.name}</span>
    </>
  );
  const heading = <span className="font-serif text-[15px] font-semibold text-base-content">Measurement</span>;
  return (
    <Table
      className="mt-5"
      label="Measurement in the models"
      fixed
      dense
      even={models.length <= ALIKE}
      groups={groups}
      keyOf={(row) => row.key}
      columns={[{ ...WORDS, over: heading }, ...models.map((m, at) => cells(m, at, mark(m, at)))]}
    />
  );
}

const MOST = 12;
const APART = 0.05;

/** Every path of every model: dashed where its interval contains zero, hollow where there is no interval. */
function Whiskers({ models, paths }: { models: Column[]; paths: Path[] }) {
  const { low, high, ticks } = scaleOf(paths);
  const x = (value: number) => 10 + ((value - low) / (high - low)) * (WIDTH - 20);
  const height = Math.max(26, 9 * models.length + 8);
  const [all, showAll] = useState(false);
  const apart = paths.filter((path) =>
    path.standardized.some(
      (value) => value === null || Math.abs(value - (path.standardized[0] ?? value)) >= APART,
    ),
  );
  const folded = paths.length > MOST && !all && models.length > 1;
  const shown = folded ? apart : paths;
  const columns: TableColumn<Path>[] = [
    {
      key: "path",
      head: "",
      hidden: "path",
      heads: true,
      left: true,
      width: `${NAMES}px`,
      className: "pl-2 text-sm",
      value: (path) => `${path.from} → ${path.to}`,
      show: (path) => (
        <span className="font-semibold">
          {path.from} → {path.to}
        </span>
      ),
    },
    {
      key: "whiskers",
      head: "",
      width: `${WIDTH}px`,
      over: (
        <>
          <svg width={WIDTH} height={16} aria-hidden="true" className="block">
            {ticks.map((tick) => (
              <text key={tick} x={x(tick)} y={11} textAnchor="middle" className="fill-quiet text-[11px]">
                {tick === 0 ? "0" : coefficient(tick, 1)}
              </text>
            ))}
          </svg>
          <span className="sr-only">as whiskers</span>
        </>
      ),
      show: (path) => (
        <svg width={WIDTH} height={height} aria-hidden="true" className="block">
          <path d={`M${x(0)} 0V${height}`} className="stroke-gold" />
          {models.map((_, at) => {
            const value = path.standardized[at];
            if (value === null || value === undefined) return null;
            const bounds = path.interval[at] ?? null;
            const y = height / 2 + 9 * (at - (models.length - 1) / 2);
            return (
              <g key={at} className={colourOf(at)}>
                {bounds && (
                  <path
                    d={`M${x(bounds[0] ?? value)} ${y}H${x(bounds[1] ?? value)}`}
                    stroke="currentColor"
                    strokeWidth={1.8}
                    strokeDasharray={containsZero(bounds) ? "3 2.5" : undefined}
                  />
                )}
                <Shape at={at} x={x(value)} y={y} size={3.4} />
              </g>
            );
          })}
        </svg>
      ),
    },
    ...models.map((m, at): TableColumn<Path> => ({
      key: String(at),
      head: m.name,
      over: <span className="sr-only">{m.name}</span>,
      className: "tabular-nums",
      value: (path) => path.standardized[at] ?? null,
      text: (path) =>
        typeof path.standardized[at] === "number" ? coefficient(path.standardized[at]) : "not in it",
      show: (path) => <Value path={path} at={at} />,
    })),
  ];
  return (
    <Table
      className="mt-4"
      label="Paths of the models"
      fixed
      dense
      even={models.length <= ALIKE}
      columns={columns}
      rows={shown}
      keyOf={(path) => `${path.from} ${path.to}`}
      foot={
        paths.length > MOST &&
        models.length > 1 && (
          <TextButton onClick={() => showAll(!all)}>
            {folded ? `${paths.length - apart.length} more, nowhere .05 apart` : "Only those that part"}
          </TextButton>
        )
      }
    />
  );
}

function Value({ path, at }: { path: Path; at: number }) {
  const value = path.standardized[at];
  if (value === null || value === undefined) return <span className="text-sm text-quiet">not in it</span>;
  const first = path.standardized[0];
  const gap = at > 0 ? gapWords(value, typeof first === "number" ? first : null) : "";
  return (
    <>
      {gap && <span className="mr-3 text-sm text-quiet">{gap}</span>}
      <span className="font-semibold">{coefficient(value)}</span>
    </>
  );
}
