import { useQuery } from "@tanstack/react-query";
import { api, take, type ModelState, type Project, type Schemas } from "../client/client";
import { keys } from "../client/queryKeys";

export type Measured = NonNullable<Schemas["QualityDocument"]["quality"]>;
export type MeasuredConstruct = Measured["constructs"][number];
export type ItemWhatIf = Schemas["ItemWhatIf"];
export type FigureChange = ItemWhatIf["figures"][number];

/** Every indicator set aside in turn; asked again when the model has changed. */
export function useItemWhatIfs(model: ModelState) {
  return useQuery({
    queryKey: keys.itemWhatIfs(model.id, model.revision.id),
    enabled: model.estimated,
    staleTime: Infinity,
    queryFn: () =>
      take(api.GET("/api/models/{model_id}/item-what-ifs", { params: { path: { model_id: model.id } } })),
  });
}

export type LeftOut = Schemas["LeftOutWhatIf"];

/** Residual covariances and cross-loadings that are left out, let in one at a time. */
export function useLeftOut(model: ModelState) {
  const first = useItemWhatIfs(model); // what stands higher on the screen comes first
  return useQuery({
    queryKey: keys.leftOut(model.id, model.revision.id),
    enabled: first.isSuccess && model.estimated && model.traits.tests,
    staleTime: Infinity,
    queryFn: () =>
      take(api.GET("/api/models/{model_id}/left-out-what-ifs", { params: { path: { model_id: model.id } } })),
  });
}

/** The wording of a column, where it came with one. */
export function wording(project: Project, name: string): string {
  return project.columns.find((column) => column.name === name)?.label ?? "";
}

/** A figure of a row of what-ifs. */
export function changeOf(row: Pick<ItemWhatIf, "figures">, key: string): FigureChange | undefined {
  return row.figures.find((figure) => figure.key === key);
}

/** By how much it would change; nothing where either is unknown. */
export function differenceOf(row: Pick<ItemWhatIf, "figures">, key: string): number | null {
  const change = changeOf(row, key);
  return change && change.now !== null && change.then !== null ? change.then - change.now : null;
}

/** A difference with its sign: `+.024`, `−.010`, `.000`. */
export function signed(value: number | null, decimals = 3): string {
  if (value === null) return "–";
  const text = Math.abs(value).toFixed(decimals).replace(/^0/, "");
  if (Number(text) === 0) return text;
  return `${value < 0 ? "−" : "+"}${text}`;
}
