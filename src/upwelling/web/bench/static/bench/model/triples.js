// Three channels moved together by one control, keeping what is between them: a factor for gains, a difference for others.
export const meanOf = (values) => values.reduce((sum, value) => sum + value, 0) / values.length;

// The values with their mean at another place; the move ends where the first of them comes to a limit.
export function movedTogether(values, mean, together, low, high) {
  const now = meanOf(values),
    round = (value) => Number(value.toFixed(6));
  if (together === "ratio" && now > 0) {
    const least = Math.max(...values.map((value) => (value > 0 ? low / value : 0))),
      most = Math.min(...values.map((value) => (value > 0 ? high / value : Infinity)));
    const by = Math.min(Math.max(mean / now, least), most);
    return values.map((value) => round(value * by));
  }
  const least = Math.max(...values.map((value) => low - value)),
    most = Math.min(...values.map((value) => high - value)),
    by = Math.min(Math.max(mean - now, least), most);
  return values.map((value) => round(value + by));
}
