/** Lengths, times and sizes as people read them. */

export function digits(value: number, significant = 4): string {
  if (value === 0 || !isFinite(value)) return "0";
  const places = Math.max(0, significant - 1 - Math.floor(Math.log10(Math.abs(value))));
  const text = value.toFixed(Math.min(places, 6));
  const [whole, part] = text.split(".");
  const grouped = whole!.replace(/\B(?=(\d{3})+(?!\d))/g, ",");
  const trimmed = part?.replace(/0+$/, "");
  return (trimmed ? `${grouped}.${trimmed}` : grouped).replace("-", "−");
}

/** A length on the ground: number and unit. Georeferenced grounds count metres, plain ones pixels. */
export function length(value: number, ground: string): [string, string] {
  if (ground === "plain") return [digits(value), "px"];
  return Math.abs(value) >= 1000 ? [digits(value / 1000), "km"] : [digits(value), "m"];
}

export function seconds(value: number): string {
  return `${value.toFixed(1)} s`;
}

export function clock(value: number): string {
  const whole = Math.max(0, Math.round(value));
  return whole >= 60 ? `${Math.floor(whole / 60)} min ${whole % 60} s` : `${whole} s`;
}

export function bytes(value: number): string {
  if (value >= 1e9) return `${(value / 1e9).toFixed(1)} GB`;
  return value >= 1e6 ? `${(value / 1e6).toFixed(1)} MB` : `${Math.ceil(value / 1000)} kB`;
}

/** A round step near a wanted one: 1, 2 or 5 times a power of ten. */
export function roundStep(wanted: number): number {
  const power = 10 ** Math.floor(Math.log10(wanted));
  const lead = wanted / power;
  return (lead > 5 ? 10 : lead > 2 ? 5 : lead > 1 ? 2 : 1) * power;
}

/** A typed number: comma or point, spaces, a true minus, and k for thousand are understood. NaN if it is none. */
export function parseNumber(text: string): number {
  const tidy = text
    .trim()
    .replace("−", "-")
    .replace(/(\d),(?=\d{3}\b)/g, "$1")
    .replace(",", ".")
    .replace(/\s/g, "");
  const match = /^([+-]?\d*\.?\d+(?:e[+-]?\d+)?)(km|k|m|px|s|mm|°|%)?$/i.exec(tidy);
  return match ? Number(match[1]) * (/^km?$/i.test(match[2] ?? "") ? 1000 : 1) : NaN;
}
