import { useQuery } from '@tanstack/react-query';
import { Button, Input, Popover, Select } from 'antd';
import { useState } from 'react';
import { answer, api, type Run } from '../api/client';
import { usePeople } from '../api/people';
import { useReasons } from '../api/work';
import { inCurrency } from '../parts/Balances';
import { Choice } from '../parts/Choice';
import { Fault } from '../parts/Fault';
import { Form } from '../parts/Form';
import { TextChoice } from '../parts/TextChoice';
import { WrittenField } from '../parts/WrittenField';
import { choosing, statuses, statusWords } from './query';
import { useDoing } from '../parts/useDoing';

type Go = (part: Record<string, string>) => void;

/** What a report's exceptions can be narrowed to, and in which order they stand. */
export function Filters(p: { run: Run; tray: string; params: URLSearchParams; go: Go }) {
  const { run, params, go } = p;
  const people = usePeople();
  const reasons = useReasons();
  const value = (name: string) => params.get(name) || undefined;
  const select = (
    name: string,
    label: string,
    placeholder: string,
    options: { value: string; label: string }[],
    width = 130,
  ) => (
    <Choice label={label}>
      <Select
        size="small"
        allowClear
        showSearch
        optionFilterProp="label"
        aria-label={label}
        placeholder={placeholder}
        style={{ width }}
        popupMatchSelectWidth={false}
        value={value(name)}
        onChange={(to?: string) => go({ [name]: to ?? '' })}
        options={options}
      />
    </Choice>
  );
  const records = p.tray !== 'reject'; // a line that is no record has neither fields nor amounts
  const fields = records ? (run.definition.compare ?? []) : [];
  const currencies = [...new Set(run.summary.balance.flatMap((b) => (b.currency === undefined ? [] : [b.currency])))];
  const narrowed = choosing.some((name) => !['tray', 'sort', 'desc'].includes(name) && params.get(name));
  return (
    <div className="choices filters">
      <b className="lead">Show only</b>
      <Choice label="status">
        <Select
          size="small"
          mode="multiple"
          allowClear
          aria-label="status"
          placeholder="any"
          style={{ minWidth: 120 }}
          popupMatchSelectWidth={false}
          value={value('status')?.split(',') ?? []}
          onChange={(to: string[]) => go({ status: to.join(',') })}
          options={statuses.map((s) => ({ value: s, label: statusWords[s] }))}
        />
      </Choice>
      {select('owner', 'owner', "anybody's", [
        { value: 'me', label: 'me' },
        { value: 'nobody', label: 'nobody' },
        ...(people.data ?? []).map((p) => ({ value: p.name, label: p.name })),
      ])}
      {select('reason', 'reason', 'any', [
        { value: 'none', label: 'none' },
        ...(reasons.data ?? []).map((r) => ({ value: r, label: r })),
      ])}
      {fields.length > 0 &&
        select(
          'differs',
          'differs in',
          'any field',
          fields.map((f) => ({ value: f.left, label: f.left })),
        )}
      {records && (
        <Choice label="amount">
          <span className="acts" style={{ gap: 4 }}>
            <WrittenField
              label="amount at least"
              placeholder="at least"
              className="short"
              value={params.get('atLeast') ?? ''}
              tell={(to) => go({ atLeast: to })}
            />
            <WrittenField
              label="amount at most"
              placeholder="at most"
              className="short"
              value={params.get('atMost') ?? ''}
              tell={(to) => go({ atMost: to })}
            />
          </span>
        </Choice>
      )}
      {records &&
        currencies.length > 1 &&
        select(
          'in',
          'currency',
          'any',
          currencies.map((c) => ({ value: c || 'none', label: inCurrency(c) })),
        )}
      <Choice label="sorted by">
        <Select
          size="small"
          showSearch
          optionFilterProp="label"
          aria-label="sorted by"
          style={{ width: 150 }}
          popupMatchSelectWidth={false}
          value={`${params.get('sort') || 'place'}${params.get('desc') === 'true' ? ' desc' : ''}`}
          onChange={(to: string) => {
            const [sort = '', desc] = to.split(' ');
            go({ sort: sort === 'place' ? '' : sort, desc: desc ? 'true' : '' });
          }}
          options={[
            { value: 'place', label: 'place in the report' },
            { value: 'amount desc', label: 'the largest first' },
            { value: 'amount', label: 'the smallest first' },
            { value: 'age', label: 'the oldest first' },
            { value: 'age desc', label: 'the newest first' },
            { value: 'key', label: 'key' },
            { value: 'status', label: 'status' },
            { value: 'owner', label: 'owner' },
          ]}
        />
      </Choice>
      {narrowed && (
        <Button
          size="small"
          type="text"
          onClick={() => go(Object.fromEntries(choosing.filter((n) => n !== 'tray').map((n) => [n, ''])))}
        >
          Everything again
        </Button>
      )}
      <Saved params={params} go={go} />
    </div>
  );
}

/** One's own saved filters: what is looked for again and again. */
function Saved({ params, go }: { params: URLSearchParams; go: Go }) {
  const list = useQuery({
    queryKey: ['filters'],
    queryFn: async () => (await answer(api.GET('/api/v1/me/filters'))).data.filters,
  });
  const [name, setName] = useState('');
  const { act, failed, busy } = useDoing(['filters']);
  const now = new URLSearchParams(choosing.flatMap((n) => (params.get(n) ? [[n, params.get(n) ?? '']] : [])));
  const save = () =>
    act(async () => {
      await answer(api.PUT('/api/v1/me/filters', { body: { name, query: now.toString() } }));
      setName((now) => (now === name ? '' : now));
    });
  const drop = (filter: string) =>
    act(() => answer(api.DELETE('/api/v1/me/filters/{filter}', { params: { path: { filter } } })));
  return (
    <Popover
      trigger="click"
      placement="bottomRight"
      content={
        <div style={{ width: 280 }}>
          {list.data?.map((f) => (
            <div key={f.name} className="saved">
              <button
                type="button"
                className="link"
                onClick={() =>
                  go({
                    ...Object.fromEntries(choosing.map((n) => [n, ''])),
                    ...Object.fromEntries(new URLSearchParams(f.query)),
                  })
                }
              >
                {f.name}
              </button>
              <Button
                size="small"
                type="text"
                disabled={busy}
                aria-label={`Forget ${f.name}`}
                onClick={() => void drop(f.name)}
              >
                ×
              </Button>
            </div>
          ))}
          <Form label="Save this filter" send={() => name && void save()}>
            <div className="acts" style={{ alignItems: 'end' }}>
              <TextChoice label="save what is chosen as" width={190} value={name} change={setName} />
              <Button size="small" htmlType="submit" disabled={!name || busy}>
                {list.data?.some((f) => f.name === name) ? 'Replace' : 'Save'}
              </Button>
            </div>
          </Form>
          <Fault error={failed} />
        </div>
      }
    >
      <Button size="small">Saved filters{list.data?.length ? ` (${list.data.length})` : ''}</Button>
    </Popover>
  );
}

/** The search in the cells of both sides. */
export function Search({ value, tell }: { value: string; tell: (text: string) => void }) {
  const [typed, setTyped] = useState(value);
  const [shown, setShown] = useState(value);
  if (shown !== value) {
    // The address has changed, by a search or by the browser's back button.
    setShown(value);
    setTyped(value);
  }
  return (
    <Input.Search
      aria-label="Search in the cells of both sides"
      placeholder="search in the cells of both sides"
      allowClear
      value={typed}
      onChange={(event) => setTyped(event.target.value)}
      onSearch={tell}
      style={{ width: 300 }}
    />
  );
}
