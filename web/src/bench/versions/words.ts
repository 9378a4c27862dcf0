/** A value at an address of a document, in a few signs. */
export function shownValue(value: unknown, at: readonly string[] = []): string {
  if (value === undefined || value === null) return at[2] === 'params' ? 'default' : '–';
  if (typeof value === 'number') return String(Number(value.toFixed(4)));
  if (typeof value === 'boolean') return value ? 'yes' : 'no';
  if (typeof value === 'string') return value.length > 24 ? `${value.slice(0, 23)}…` : value || '–';
  if (Array.isArray(value)) {
    if (value.length <= 3 && value.every((x) => typeof x === 'number')) return value.map((x) => Number(x.toFixed(3))).join(' ');
    return value.every((x) => typeof x === 'string') ? value.join(' ') || '–' : `${value.length} ${at.at(-1) === 'points' ? 'points' : 'entries'}`;
  }
  return 'there';
}

/** When something was made, as it is said in passing. */
export function whenMade(made: string, now: Date): string {
  const then = new Date(made);
  const minutes = Math.round((now.getTime() - then.getTime()) / 60000);
  if (minutes < 1) return 'just now';
  if (minutes < 60) return `${minutes} min ago`;
  const time = `${String(then.getHours()).padStart(2, '0')}:${String(then.getMinutes()).padStart(2, '0')}`;
  return then.toDateString() === now.toDateString() ? `at ${time}` : `${then.getFullYear()}-${String(then.getMonth() + 1).padStart(2, '0')}-${String(then.getDate()).padStart(2, '0')} ${time}`;
}
