/** A report before anything is said. */
export const REPORT_EMPTY = {
  title: "",
  text: "",
  service: "",
  ci: "",
  place: "",
  who: "",
  work: "",
  /** The colleague it is reported for, if it is not for oneself. */
  forWhom: 0,
  forName: "",
  files: [] as unknown[],
  values: {} as Record<string, unknown>,
};
