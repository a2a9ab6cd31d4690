import type { Change } from "../api/client";

type Held = Record<string, unknown>;

/** A value with changes put into it. What they leave alone is the very same as before, so that whatever shows it can
 * tell; the value itself stays as it is. */
export function changed<T>(whole: T, changes: Change[]): T {
  return changes.reduce((held: unknown, { path, value }) => put(held, names(path), value), whole) as T;
}

/** The names of a JSON Pointer (RFC 6901). */
const names = (path: string) =>
  path
    .split("/")
    .slice(1)
    .map((name) => name.replaceAll("~1", "/").replaceAll("~0", "~"));

function put(held: unknown, [name, ...rest]: string[], value: unknown): unknown {
  if (name === undefined) return value;
  const copy = (Array.isArray(held) ? [...(held as unknown[])] : { ...(held as Held) }) as Held;
  copy[name] = put(copy[name], rest, value);
  return copy;
}
