/** How long ago a moment in UTC was, as one says it. */
export function ago(moment: string, now = Date.now()): string {
  const zoned = /(Z|[+-]\d\d:?\d\d)$/.test(moment) ? moment : `${moment}Z`;
  const minutes = Math.max(0, Math.round((now - Date.parse(zoned)) / 60_000));
  if (minutes < 1) return "just now";
  if (minutes < 60) return `${minutes} min ago`;
  if (minutes < 48 * 60) return `${Math.round(minutes / 60)} h ago`;
  return `on ${new Date(zoned).toLocaleDateString("en-GB", { day: "numeric", month: "long", year: "numeric" })}`;
}
