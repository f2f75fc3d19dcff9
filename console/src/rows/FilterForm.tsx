import { Button, Input, Select } from 'antd';
import { useState } from 'react';
import { Form } from '../parts/Form';
import { expressed, kindOf, operators, type Condition } from './look';

/** Makes a condition of a column, what is said of it and a value, and shows the expression that says the same. */
export function FilterForm({
  columns,
  types,
  add,
}: {
  columns: string[];
  types: string[];
  add: (text: string) => void;
}) {
  const [c, setC] = useState<Condition>({ column: '', type: 'text', operator: 'is', value: '' });
  const known = operators[kindOf(c.type)];
  const valued = !c.operator.endsWith('blank');
  const ready = c.column !== '' && (!valued || kindOf(c.type) === 'text' || c.value.trim() !== '');
  return (
    <Form send={() => ready && add(expressed(c))}>
      <div style={{ display: 'flex', gap: 6 }}>
        <Select
          showSearch
          autoFocus
          size="small"
          style={{ width: 170 }}
          aria-label="Filtered column"
          placeholder="column"
          value={c.column || undefined}
          options={columns.map((name) => ({ value: name, label: name }))}
          onChange={(column) => {
            const type = types[columns.indexOf(column)] ?? 'text';
            setC({ ...c, column, type, operator: operators[kindOf(type)][0] ?? 'is' });
          }}
        />
        <Select
          showSearch
          size="small"
          style={{ width: 120 }}
          aria-label="What is said of it"
          value={c.operator}
          options={known.map((o) => ({ value: o, label: o }))}
          onChange={(operator) => setC({ ...c, operator })}
        />
        {valued && (
          <Input
            size="small"
            style={{ width: 140 }}
            aria-label="Filtered value"
            placeholder={kindOf(c.type) === 'date' ? 'YYYY-MM-DD' : 'value'}
            value={c.value}
            onChange={(event) => setC({ ...c, value: event.target.value })}
          />
        )}
        <Button size="small" type="primary" htmlType="submit" disabled={!ready}>
          Add
        </Button>
      </div>
      {ready && (
        <p className="mono dim" style={{ margin: '6px 0 0' }} data-testid="expressed">
          {expressed(c)}
        </p>
      )}
    </Form>
  );
}
