import type { components } from "../api/schema";
import { plain } from "../shared/numbers";

type Report = components["schemas"]["WaveReport"];

/** What differs between the data in place and a new wave. */
export function WaveReport({ report }: { report: Report }) {
  const moved = report.columns.filter((c) => Math.abs(c.shift ?? 0) >= 0.2 || c.new_values.length > 0);
  return (
    <section className="mb-6" aria-label="What differs from the data in place">
      <h2 className="mb-1 text-sm text-quiet">what differs from the data in place</h2>
      <p>
        {report.cases_before} cases before, {report.cases_after} in the new file.
      </p>
      {report.columns_gone.length > 0 && <p>No longer there: {report.columns_gone.join(", ")}.</p>}
      {report.columns_new.length > 0 && <p>New: {report.columns_new.join(", ")}.</p>}
      {report.kind_changed.length > 0 && (
        <p>Text where numbers were, or the reverse: {report.kind_changed.join(", ")}.</p>
      )}
      {moved.length === 0 ? (
        <p>No mean moved by as much as a fifth of a standard deviation.</p>
      ) : (
        <table className="mt-2 w-full" aria-label="Columns that moved">
          <thead className="text-left text-sm text-quiet">
            <tr>
              <th className="font-normal">column</th>
              <th className="text-right font-normal">mean before</th>
              <th className="text-right font-normal">mean now</th>
              <th className="text-right font-normal">shift in SDs</th>
              <th className="pl-4 font-normal">values not seen before</th>
            </tr>
          </thead>
          <tbody>
            {moved.slice(0, 40).map((c) => (
              <tr key={c.name} className="border-b border-line/40">
                <td className="py-[3px]">{c.name}</td>
                <td className="text-right">{plain(c.mean_before)}</td>
                <td className="text-right">{plain(c.mean_after)}</td>
                <td className="text-right">{plain(c.shift)}</td>
                <td className="pl-4">{c.new_values.join(", ")}</td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </section>
  );
}
