/** A pair of codes as a line that people write: with a comma between, and quoted where a code would be read otherwise. */
export function lineOf(pair: string[]): string {
  return pair.map((code) => (/[",\t\n]|^\s|\s$/.test(code) ? `"${code.replaceAll('"', '""')}"` : code)).join(', ');
}

/**
 * The codes of a line: divided by the first tab, or by the first comma where it has none, as lines come from spreadsheets. A code in double
 * quotes may hold either, and spaces around it.
 */
export function codesOf(line: string): string[] {
  const codes: string[] = [];
  let rest = line;
  while (codes.length < 2) {
    const quoted = /^\s*"((?:[^"]|"")*)"\s*(?:[,\t](.*))?$/.exec(rest);
    if (quoted) {
      codes.push((quoted[1] ?? '').replaceAll('""', '"'));
      if (quoted[2] === undefined) return codes;
      rest = quoted[2];
      continue;
    }
    const at = codes.length > 0 ? -1 : rest.includes('\t') ? rest.indexOf('\t') : rest.indexOf(',');
    codes.push((at < 0 ? rest : rest.slice(0, at)).trim());
    if (at < 0) return codes;
    rest = rest.slice(at + 1);
  }
  return codes;
}
