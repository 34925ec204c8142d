import { type InvalidateOptions, type InvalidateQueryFilters, QueryClient } from "@tanstack/react-query";

/**
 * What the pages have read. Reading again asks once more what is on its way for the first
 * time too: that may have been answered before what made it old, and would else stay old.
 */
export class Queries extends QueryClient {
  override invalidateQueries(filters?: InvalidateQueryFilters, options?: InvalidateOptions): Promise<void> {
    for (const query of this.getQueryCache().findAll({ ...filters, type: "active" }))
      if (query.state.fetchStatus === "fetching" && query.state.data === undefined)
        void query.promise?.catch(() => undefined).then(() => super.invalidateQueries({ queryKey: query.queryKey, exact: true }));
    return super.invalidateQueries(filters, options);
  }
}
