import { count } from './format';

/** How many records come from where, as bars. Its text equivalent is the numbers beside them. */
export function Origins({ origins }: { origins: { label: string; records: number }[] }) {
  const most = Math.max(1, ...origins.map((o) => o.records));
  const all = origins.reduce((n, o) => n + o.records, 0);
  return (
    <table className="plain origins" data-testid="origins">
      <tbody>
        {origins.map((o) => (
          <tr key={o.label}>
            <th scope="row">{o.label}</th>
            <td className="n" data-origin={o.label}>
              {o.records < 0 ? 'not counted yet' : count(o.records)}
            </td>
            <td style={{ width: '60%' }} aria-hidden="true">
              <div className="origin" style={{ width: `${Math.max(0, (o.records / most) * 100)}%` }} />
            </td>
          </tr>
        ))}
        <tr>
          <th scope="row">all</th>
          <td className="n">{origins.some((o) => o.records < 0) ? '' : count(all)}</td>
          <td />
        </tr>
      </tbody>
    </table>
  );
}
