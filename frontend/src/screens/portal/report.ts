/** A report before anything is said. */
export const REPORT_EMPTY = {
  title: "",
  text: "",
  service: "",
  ci: "",
  place: "",
  who: "",
  work: "",
  files: [] as unknown[],
  values: {} as Record<string, unknown>,
};
