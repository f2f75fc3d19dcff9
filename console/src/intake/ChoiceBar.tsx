import { Input, Select } from 'antd';
import type { Choices, Guess, Preview } from '../api/client';
import { Tags } from '../parts/Tags';
import { Choice } from '../parts/Choice';

type Name = keyof Choices;

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

const say = (choice: Name, value: string) =>
  choice === 'header' ? (headers[value] ?? value) : (named[value] ?? value);

/** A choice among a few. */
function One(p: {
  choice: Name;
  label: string;
  value: string;
  guess?: Guess;
  options?: string[];
  change: (value: string) => void;
}) {
  const options = [...new Set([p.value, ...(p.options ?? []), ...(p.guess?.others ?? [])])];
  return (
    <Choice label={p.label} guess={p.guess}>
      <Select
        size="small"
        aria-label={p.label}
        value={p.value}
        onChange={p.change}
        options={options.map((value) => ({ value, label: say(p.choice, value) }))}
        popupMatchSelectWidth={false}
      />
    </Choice>
  );
}

/** Something typed, that counts when the field is left or Enter is pressed. */
function Typed(p: { label: string; value: string; guess?: Guess; width?: number; change: (value: string) => void }) {
  return (
    <Choice label={p.label} guess={p.guess}>
      <Input
        key={p.value}
        size="small"
        style={{ width: p.width }}
        aria-label={p.label}
        defaultValue={p.value}
        onBlur={(event) => event.target.value !== p.value && p.change(event.target.value)}
        onPressEnter={(event) => event.currentTarget.blur()}
      />
    </Choice>
  );
}

/** Texts, of which any number can be added. */
function Texts(p: {
  label: string;
  value: string[];
  guess?: Guess;
  offered: string[];
  placeholder?: string;
  change: (value: string[]) => void;
}) {
  return (
    <Choice label={p.label} guess={p.guess}>
      <Tags
        label={p.label}
        placeholder={p.placeholder ?? 'none'}
        size="small"
        minWidth={110}
        value={p.value}
        change={p.change}
        offered={p.offered.map((value) => ({ value }))}
      />
    </Choice>
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
  const format = c.format; // none: rows of a database
  const guess = (choice: Name) => preview.guesses.find((g) => g.choice === choice);
  // What is found for one format says nothing of another, so a change of format lets the rest be found anew.
  const set = (choice: Name, value: Choices[Name]) =>
    change(choice === 'format' ? { format: value as Choices['format'] } : { ...chosen, [choice]: value });
  const lines = (choice: 'skipFirst' | 'skipLast' | 'headerRow' | 'headerRows', label: string, none = 0) => (
    <Typed
      label={label}
      width={64}
      guess={guess(choice)}
      value={String(c[choice] ?? none)}
      change={(v) => set(choice, Number.parseInt(v, 10) || 0)}
    />
  );
  const sheet = guess('sheet');
  return (
    <>
      {sheet && !sheet.sure && (
        <p className="say" style={{ margin: '6px 0' }}>
          The sheet {sheet.value} is shown: {sheet.why}.
        </p>
      )}
      <div className="choices">
        {format && (
          <One
            choice="format"
            label="format"
            value={format}
            guess={guess('format')}
            options={Object.keys(formats)}
            change={(v) => set('format', v)}
          />
        )}
        {format && text.includes(format) && c.encoding && (
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
            change={(v) => change({ ...chosen, sheet: v, headerRow: undefined, headerRows: undefined })}
          />
        )}
        {format === 'xlsx' && (
          <>
            {c.header !== 'none' && lines('headerRow', 'columns named in row')}
            {c.header !== 'none' && lines('headerRows', 'rows that name columns', 1)}
            <One
              choice="merged"
              label="merged cells"
              value={c.merged ?? 'blank'}
              options={['blank', 'fill']}
              change={(v) => set('merged', v)}
            />
          </>
        )}
        {format === 'json' && (
          <Typed
            label="records at"
            value={c.pointer ?? ''}
            guess={guess('pointer')}
            change={(v) => set('pointer', v)}
          />
        )}
        {(format === 'delimited' || format === 'fixed') && (
          <>
            {lines('skipFirst', 'leave out first lines')}
            {lines('skipLast', 'leave out last lines')}
          </>
        )}
        {format && text.includes(format) && c.encoding === 'UTF-8' && (
          <One
            choice="invalidBytes"
            label="records with invalid bytes"
            value={c.invalidBytes ?? 'refuse'}
            options={['refuse', 'reject']}
            change={(v) => set('invalidBytes', v)}
          />
        )}
        {format === 'delimited' && (
          <One
            choice="shortRows"
            label="lines with too few cells"
            value={c.shortRows ?? 'reject'}
            options={['reject', 'fill']}
            change={(v) => set('shortRows', v)}
          />
        )}
        {format && ['delimited', 'fixed', 'xlsx', 'json', 'ndjson'].includes(format) && (
          <Texts
            label="footers begin with"
            value={c.footers ?? []}
            guess={guess('footers')}
            placeholder={c.footers ? 'none' : 'detected'}
            offered={[]}
            change={(v) => set('footers', v)}
          />
        )}
        <Texts
          label="blank markers"
          value={c.blanks ?? []}
          offered={preview.blanks.map((b) => b.text)}
          change={(v) => set('blanks', v)}
        />
      </div>
    </>
  );
}
