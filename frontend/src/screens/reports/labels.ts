/** Labels of pieces of time as there is room for them below an axis. */

export function short(label: string, by: string, most = 26): string {
  if (by === "month") {
    const [month = "", year = ""] = label.split(" ");
    return `${month.slice(0, 3)} ${year.slice(2)}`.trim();
  }
  if (by === "week") return label.replace(/^week (\d+),.*$/u, "w. $1");
  if (by === "weekday") return label.slice(0, 3);
  if (by === "band") return label.replace(/ to .*$/u, "");
  if (by === "day") return label.replace(/^\w+ /u, "");
  return label.length > most ? `${label.slice(0, most - 1)}…` : label;
}
