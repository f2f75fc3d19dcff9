import { AutoComplete, Button, Popover } from 'antd';
import { useCallback, useEffect, useRef, useState } from 'react';
import { answer, api, type Ask, type TriedFilter } from '../api/client';
import { FilterForm } from './FilterForm';
import { named, tidy } from './look';

/** Both of two expressions. One that chooses among others is put in parentheses, for && binds before || and ?. */
const joined = (a: string, b: string) => (a === '' ? b : `${/\|\||\?/.test(a) ? `(${a})` : a} && ${b}`);

/** The word of an expression that is being written at its end. */
const lastWord = /[A-Za-z_][\w ]*$/;

/**
 * A filter, written as an expression or made in a form. It is checked while it is written: what is wrong is said with its place,
 * and only a filter that could be is taken.
 */
export function FilterField(p: {
  label: string;
  placeholder: string;
  value: string;
  take: (where: string) => void;
  ask?: Ask; // over whose rows; without it nothing is checked
  side?: 'left' | 'right'; // over this side's records, before they are compared
  width?: number;
}) {
  const [typed, setTyped] = useState(p.value);
  const [before, setBefore] = useState(p.value);
  const [tried, setTried] = useState<TriedFilter & { of: string }>();
  const [form, setForm] = useState(false);
  if (before !== p.value) {
    setBefore(p.value);
    setTyped(p.value);
  }
  const text = p.ask && JSON.stringify(tidy(p.ask));
  const { side } = p;
  const check = useCallback(
    async (where: string, signal?: AbortSignal) => {
      const body = { ...(JSON.parse(text ?? '') as Ask), side, where };
      const { data } = await answer(api.POST('/api/v1/filters/tried', { body, signal }));
      setTried({ ...data, of: where });
      return data;
    },
    [text, side],
  );
  useEffect(() => {
    if (!text) return;
    const given = new AbortController();
    const timer = setTimeout(() => {
      // Where what the rows are of is wrong itself, that is said elsewhere.
      check(typed, given.signal).catch(() => !given.signal.aborted && setTried(undefined));
    }, 150);
    return () => {
      clearTimeout(timer);
      given.abort();
    };
  }, [text, typed, check]);
  const word = typed.match(lastWord)?.[0] ?? '';
  const options = (tried?.columns ?? [])
    .filter((c) => word && c.toLowerCase().includes(word.toLowerCase()) && c !== word)
    .slice(0, 12)
    .map((c) => ({ value: typed.slice(0, typed.length - word.length) + named(c), label: c }));
  const wrong = typed !== '' && tried?.of === typed ? tried.wrong : undefined;
  const take = (where: string) => where !== p.value && p.take(where);
  // What is shown when an answer arrives may be another page, another text, or rows of another question.
  const now = useRef<{ typed: string; take: typeof take }>(undefined);
  useEffect(() => {
    now.current = { typed, take };
    return () => {
      now.current = undefined;
    };
  });
  /** Takes what has been written, once it is known that it could be. */
  async function settle() {
    if (typed === p.value) return;
    if (!text || typed === '') take(typed);
    else if (tried?.of === typed) {
      if (!tried.wrong) take(typed);
    } else {
      try {
        const { wrong } = await check(typed);
        if (!wrong && now.current?.typed === typed) now.current.take(typed);
      } catch {
        setTried(undefined);
      }
    }
  }
  return (
    <div className="filter">
      <div style={{ display: 'flex', gap: 4 }}>
        <AutoComplete
          size="small"
          className="mono"
          style={{ width: p.width ?? 300 }}
          aria-label={p.label}
          aria-invalid={wrong !== undefined}
          placeholder={p.placeholder}
          value={typed}
          options={options}
          defaultActiveFirstOption={false}
          allowClear
          status={wrong ? 'error' : undefined}
          onChange={(value: string) => {
            setTyped(value ?? '');
            if (!value) take('');
          }}
          onBlur={() => void settle()}
          onKeyDown={(event) => event.key === 'Enter' && void settle()}
        />
        {p.ask && (
          <Popover
            trigger="click"
            open={form}
            onOpenChange={setForm}
            destroyOnHidden
            content={
              <FilterForm
                columns={tried?.columns ?? []}
                types={tried?.types ?? []}
                add={(condition) => {
                  const next = joined(typed.trim(), condition);
                  setTyped(next);
                  take(next);
                  setForm(false);
                }}
              />
            }
          >
            <Button size="small" aria-label={`${p.label}: form`}>
              Form
            </Button>
          </Popover>
        )}
      </div>
      {wrong && (
        <div className="fault" role="alert" style={{ margin: '4px 0 0' }}>
          {tried?.at !== undefined && tried.at > 0 && (
            <pre className="mono" aria-hidden="true">
              {typed}
              {'\n'}
              {' '.repeat(tried.at - 1)}^
            </pre>
          )}
          {tried?.at ? `At character ${tried.at}: ` : ''}
          {wrong}
        </div>
      )}
    </div>
  );
}
