import type { Schemas } from "../client/client";
import { useRef, type ReactNode } from "react";
import type { ImportOptions } from "./sending";

type Preview = Schemas["PreviewPart"];

interface Props {
  options: ImportOptions;
  names: string;
  found: Preview | undefined;
  change: (part: Partial<ImportOptions>) => void;
  setNames: (names: string) => void;
}

const DELIMITERS = [
  [",", "comma"],
  [";", "semicolon"],
  ["\t", "tab"],
  ["|", "bar"],
  [" ", "blanks"],
] as const;
const ENCODINGS = ["utf-8", "cp1252", "latin-1", "utf-16", "shift_jis", "gb18030", "koi8-r"];

function Field({ label, children }: { label: string; children: ReactNode }) {
  return (
    <label className="mb-2.5 block">
      <span className="mb-0.5 block text-sm text-quiet">{label}</span>
      {children}
    </label>
  );
}

const SELECT = "select select-sm w-full";
const INPUT = "input input-sm w-full";

/** Everything about how a file is read; what is found out can be set otherwise. */
export function ReadingForm({ options, names, found, change, setNames }: Props) {
  const text = Boolean(found?.delimiter);
  const word = DELIMITERS.find(([mark]) => mark === found?.delimiter)?.[1];
  const table = text || (found?.sheets.length ?? 0) > 0;
  const matrix = found?.kind === "matrix";
  return (
    <>
      <h2 className="mb-2 text-sm text-quiet">how it is read</h2>
      {table && (
        <Field label="The rows are">
          <select
            className={SELECT}
            value={matrix ? "matrix" : "cases"}
            onChange={(event) => change({ kind: event.target.value as "cases" | "matrix" })}
          >
            <option value="cases">cases: one row each</option>
            <option value="matrix">a covariance or correlation matrix</option>
          </select>
        </Field>
      )}
      {matrix && (
        <MatrixFields
          options={options}
          change={change}
          known={found.n}
          variables={found.n_columns}
          names={names}
          setNames={setNames}
        />
      )}
      {text && (
        <>
          <Field label="Columns are separated by">
            <select
              className={SELECT}
              value={options.delimiter ?? ""}
              onChange={(event) => change({ delimiter: event.target.value || null })}
            >
              <option value="">as found: {word ?? found?.delimiter}</option>
              {DELIMITERS.map(([mark, label]) => (
                <option key={mark} value={mark}>
                  {label}
                </option>
              ))}
            </select>
          </Field>
          <Field label="Decimal mark">
            <select
              className={SELECT}
              value={options.decimal ?? ""}
              onChange={(event) => change({ decimal: (event.target.value || null) as "." | "," | null })}
            >
              <option value="">as found: {found?.decimal === "," ? "comma" : "point"}</option>
              <option value=".">point</option>
              <option value=",">comma</option>
            </select>
          </Field>
          <Field label="Encoding">
            <select
              className={SELECT}
              value={options.encoding ?? ""}
              onChange={(event) => change({ encoding: event.target.value || null })}
            >
              <option value="">as found: {found?.encoding?.replace("-sig", "")}</option>
              {ENCODINGS.map((name) => (
                <option key={name}>{name}</option>
              ))}
            </select>
          </Field>
        </>
      )}
      {(found?.sheets.length ?? 0) > 0 && (
        <>
          <Field label="Sheet">
            <select
              className={SELECT}
              value={options.sheet ?? found?.sheets[0]}
              onChange={(event) => change({ sheet: event.target.value })}
            >
              {found?.sheets.map((name) => (
                <option key={name}>{name}</option>
              ))}
            </select>
          </Field>
          <Field label="Range of cells">
            <input
              className={INPUT}
              placeholder="all, or B3:H40"
              defaultValue={options.cells ?? ""}
              onBlur={(event) => change({ cells: event.target.value || null })}
            />
          </Field>
        </>
      )}
      {table && (
        <>
          <Field label="Rows above the names to pass over">
            <input
              className={INPUT}
              type="number"
              min={0}
              max={10000}
              value={options.skip}
              onChange={(event) => change({ skip: Math.max(0, Number(event.target.value) || 0) })}
            />
          </Field>
          {!matrix && (
            <label className="mb-2.5 flex items-center gap-2">
              <input
                type="checkbox"
                className="checkbox checkbox-sm"
                checked={options.header}
                onChange={(event) => change({ header: event.target.checked })}
              />
              The first row holds the names
            </label>
          )}
        </>
      )}
      {!matrix && <NamesAndCodes options={options} names={names} change={change} setNames={setNames} />}
    </>
  );
}

function NamesAndCodes({ options, names, change, setNames }: Omit<Props, "found">) {
  return (
    <>
      <Field label="Codes that mean missing (besides blank, NA and .)">
        <input
          className={INPUT}
          placeholder="such as -9, 99"
          defaultValue={options.missing_codes?.join(", ")}
          onBlur={(event) =>
            change({
              missing_codes: event.target.value
                .split(/[,;\s]+/)
                .map((code) => code.trim())
                .filter(Boolean),
            })
          }
        />
      </Field>
      <Field label="Names and labels, one a line">
        <textarea
          className="textarea textarea-sm h-24 w-full leading-5"
          placeholder={"tr1, The training was clear\ntr2, I knew what to do"}
          defaultValue={names}
          key={names}
          onBlur={(event) => setNames(event.target.value)}
        />
      </Field>
      <label className="btn btn-xs border-none bg-base-300">
        From a second file
        <input
          type="file"
          className="hidden"
          aria-label="File with names and labels"
          accept=".csv,.txt,.tsv"
          onChange={(event) => void event.target.files?.[0]?.text().then(setNames)}
        />
      </label>
    </>
  );
}

/** Numbers as they are typed or pasted, apart by blanks, commas or semicolons; with points as decimal marks. */
const numbersIn = (text: string) =>
  text
    .split(/[,;\s]+/)
    .filter(Boolean)
    .map(Number);

const SOON = 400; // milliseconds after the last key

/** A line that counts while it is typed, shortly after the last key. */
function TypedLine(props: {
  label: string;
  initial: string;
  placeholder: string;
  commit: (text: string) => void;
  type?: "number";
}) {
  const waiting = useRef<number>(undefined);
  const tell = (text: string) => {
    clearTimeout(waiting.current);
    waiting.current = undefined;
    props.commit(text);
  };
  return (
    <Field label={props.label}>
      <input
        className={INPUT}
        type={props.type ?? "text"}
        placeholder={props.placeholder}
        defaultValue={props.initial}
        onChange={({ target }) => {
          clearTimeout(waiting.current);
          waiting.current = window.setTimeout(() => tell(target.value), SOON);
        }}
        onBlur={({ target }) => waiting.current !== undefined && tell(target.value)}
      />
    </Field>
  );
}

function MatrixFields({
  options,
  change,
  known,
  variables,
  names,
  setNames,
}: Pick<Props, "options" | "change" | "names" | "setNames"> & {
  known: number | null;
  variables: number;
}) {
  const beside = (key: "sds" | "means") => (text: string) => {
    const numbers = numbersIn(text);
    if (numbers.every(Number.isFinite)) change({ [key]: numbers });
  };
  const asMany = variables ? `${variables} numbers, as 0.8, 1.1, …` : "numbers, as 0.8, 1.1, …";
  return (
    <>
      <TypedLine
        label="Number of cases behind it"
        type="number"
        placeholder={known === null ? "n" : `as in the file: ${known}`}
        initial={options.n?.toString() ?? ""}
        commit={(text) => change({ n: Number(text) >= 2 ? Number(text) : null })}
      />
      <TypedLine
        label="Names, in the order of the matrix"
        placeholder="as in the file"
        initial={names}
        commit={setNames}
      />
      <TypedLine
        label="Standard deviations"
        placeholder={asMany}
        initial={options.sds?.join(", ") ?? ""}
        commit={beside("sds")}
      />
      <TypedLine
        label="Means"
        placeholder={asMany}
        initial={options.means?.join(", ") ?? ""}
        commit={beside("means")}
      />
      <Field label="It was divided by">
        <select
          className={SELECT}
          value={options.moments_divisor}
          onChange={(event) => change({ moments_divisor: event.target.value as "n" | "n-1" })}
        >
          <option value="n-1">n − 1, as usual</option>
          <option value="n">n</option>
        </select>
      </Field>
      <p className="mb-3 text-sm text-quiet">
        What needs single cases (bootstrap, robust errors, screening) is not available with a matrix.
      </p>
    </>
  );
}
