import { Input, Select } from 'antd';
import type { Choices, Guess, Preview } from '../api/client';

type Choice = keyof Choices;

const formats: Record<string, string> = {
  delimited: 'delimited text',
  fixed: 'fixed-width text',
  json: 'JSON',
  ndjson: 'NDJSON',
  xlsx: 'spreadsheet',
  parquet: 'Parquet',
  arrow: 'Arrow',
};

const named: Record<string, string> = { '\t': 'tab', ',': 'comma  ,', ';': 'semicolon  ;', '|': 'pipe  |', ...formats };
const headers: Record<string, string> = { first: 'the first line', none: 'no line' };

const say = (choice: Choice, value: string) =>
  choice === 'header' ? (headers[value] ?? value) : (named[value] ?? value);

/** One choice: what it is, whether it was found or made, and what it could be instead. */
function One(p: {
  choice: Choice;
  label: string;
  value: string;
  guess?: Guess;
  options?: string[];
  change: (value: string) => void;
}) {
  const options = [...new Set([p.value, ...(p.options ?? []), ...(p.guess?.others ?? [])])];
  return (
    <div className="choice" title={p.guess?.why}>
      <span className="dim">
        {p.label} {p.guess && !p.guess.sure && <b className="guess">guess</b>}
        {p.guess?.sure && <span className="sure">certain</span>}
      </span>
      <Select
        size="small"
        aria-label={p.label}
        value={p.value}
        onChange={p.change}
        options={options.map((value) => ({ value, label: say(p.choice, value) }))}
        popupMatchSelectWidth={false}
      />
    </div>
  );
}

const text = ['delimited', 'fixed', 'json', 'ndjson'];

/** How the file is read: every choice, with the guesses marked; a change is looked at at once. */
export function ChoiceBar({
  preview,
  chosen,
  change,
}: {
  preview: Preview;
  chosen: Choices;
  change: (choices: Choices) => void;
}) {
  const c = preview.choices;
  const format = c.format ?? 'delimited';
  const guess = (choice: Choice) => preview.guesses.find((g) => g.choice === choice);
  // What is found for one format says nothing of another, so a change of format lets the rest be found anew.
  const set = (choice: Choice, value: Choices[Choice]) =>
    change(choice === 'format' ? { format: value as Choices['format'] } : { ...chosen, [choice]: value });
  const number = (choice: 'skipFirst' | 'skipLast', label: string) => (
    <div className="choice">
      <span className="dim">{label}</span>
      <Input
        key={c[choice]}
        size="small"
        style={{ width: 64 }}
        aria-label={label}
        defaultValue={c[choice] ?? 0}
        onBlur={(event) => {
          const n = Number.parseInt(event.target.value, 10) || 0;
          if (n !== (c[choice] ?? 0)) set(choice, n);
        }}
        onPressEnter={(event) => event.currentTarget.blur()}
      />
    </div>
  );
  return (
    <div className="choices">
      <One
        choice="format"
        label="format"
        value={format}
        guess={guess('format')}
        options={Object.keys(formats)}
        change={(v) => set('format', v)}
      />
      {text.includes(format) && c.encoding && (
        <One
          choice="encoding"
          label="encoding"
          value={c.encoding}
          guess={guess('encoding')}
          options={['UTF-8', 'UTF-16LE', 'UTF-16BE', 'windows-1252', 'ISO-8859-15']}
          change={(v) => set('encoding', v)}
        />
      )}
      {format === 'delimited' && (
        <One
          choice="delimiter"
          label="delimiter"
          value={c.delimiter ?? ','}
          guess={guess('delimiter')}
          options={[',', ';', '\t', '|']}
          change={(v) => set('delimiter', v)}
        />
      )}
      {(format === 'delimited' || format === 'xlsx') && (
        <One
          choice="header"
          label="columns named by"
          value={c.header ?? 'first'}
          guess={guess('header')}
          options={['first', 'none']}
          change={(v) => set('header', v)}
        />
      )}
      {format === 'xlsx' && (
        <One
          choice="sheet"
          label="sheet"
          value={c.sheet ?? ''}
          guess={guess('sheet')}
          options={preview.sheets}
          change={(v) => change({ ...chosen, sheet: v, headerRow: undefined })}
        />
      )}
      {format === 'json' && (
        <div className="choice">
          <span className="dim">records at {guess('pointer') && <b className="guess">guess</b>}</span>
          <Input
            key={c.pointer}
            size="small"
            aria-label="records at"
            defaultValue={c.pointer}
            onBlur={(event) => event.target.value !== c.pointer && set('pointer', event.target.value)}
            onPressEnter={(event) => event.currentTarget.blur()}
          />
        </div>
      )}
      {(format === 'delimited' || format === 'fixed') && (
        <>
          {number('skipFirst', 'leave out first lines')}
          {number('skipLast', 'last lines')}
        </>
      )}
      {format !== 'json' && format !== 'ndjson' && format !== 'parquet' && format !== 'arrow' && (
        <div className="choice" title={guess('footers')?.why}>
          <span className="dim">footers begin with {guess('footers') && <b className="guess">guess</b>}</span>
          <Select
            mode="tags"
            size="small"
            aria-label="footers begin with"
            placeholder="none"
            style={{ minWidth: 110 }}
            value={c.footers ?? []}
            onChange={(v: string[]) => set('footers', v)}
            options={[]}
            open={false}
            suffixIcon={null}
          />
        </div>
      )}
      <div className="choice">
        <span className="dim">blank markers</span>
        <Select
          mode="tags"
          size="small"
          aria-label="blank markers"
          placeholder="none"
          style={{ minWidth: 110 }}
          value={c.blanks ?? []}
          onChange={(v: string[]) => set('blanks', v)}
          options={preview.blanks.map((b) => ({ value: b.text, label: b.text }))}
          popupMatchSelectWidth={false}
        />
      </div>
    </div>
  );
}
