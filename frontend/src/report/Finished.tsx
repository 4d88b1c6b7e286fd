import { useQuery, useQueryClient } from "@tanstack/react-query";
import { api, take, type ModelState } from "../client/client";
import { attempt } from "../api/attempt";
import { TextButton } from "../shared/controls";
import { keys } from "../client/queryKeys";

/** The report as a page at an address of its own, which stays as it is: to be sent to others on this machine, or printed. */
export function Finished({ model }: { model: ModelState }) {
  const queries = useQueryClient();
  const params = { path: { model_id: model.id } };
  const key = keys.published(model.id);
  const found = useQuery({
    queryKey: key,
    queryFn: () => take(api.GET("/api/models/{model_id}/published", { params })),
  });
  const publish = () =>
    void attempt(() => take(api.POST("/api/models/{model_id}/published", { params }))).then(
      (made) => made && queries.setQueryData(key, made),
    );
  const takeAway = (id: number) =>
    void attempt(() =>
      take(
        api.DELETE("/api/models/{model_id}/published/{report_id}", {
          params: { path: { model_id: model.id, report_id: id } },
        }),
      ),
    ).then((made) => made && queries.setQueryData(key, made));
  const last = found.data?.reports[0];
  return (
    <div className="flex gap-2 py-0.5 text-sm">
      <span className="w-22 shrink-0 text-quiet">to be read</span>
      <span className="flex flex-wrap gap-x-3">
        {last && (
          <>
            <a
              className="font-semibold text-ember hover:underline"
              href={last.path}
              target="_blank"
              rel="noreferrer"
              title={`${last.title}, as it was on ${new Date(last.created).toLocaleString()}`}
              data-testid="published"
            >
              the page
            </a>
            <TextButton onClick={() => takeAway(last.id)}>take away</TextButton>
          </>
        )}
        <TextButton onClick={publish} data-testid="publish">
          {last ? "anew" : "finish as a page"}
        </TextButton>
      </span>
    </div>
  );
}
