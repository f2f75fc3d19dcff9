import { DownloadOutlined } from '@ant-design/icons';
import { Button, Dropdown } from 'antd';

const formats = [
  { key: 'csv', label: 'CSV' },
  { key: 'xlsx', label: 'spreadsheet' },
  { key: 'tsv', label: 'TSV' },
  { key: 'json', label: 'JSON' },
  { key: 'ndjson', label: 'NDJSON' },
  { key: 'parquet', label: 'Parquet' },
  { key: 'arrow', label: 'Arrow' },
];

const documents = [
  { key: 'html', label: 'page, for printing' },
  { key: 'pdf', label: 'PDF' },
];

/** Hands over what an address exports, in a format that is chosen. */
export function HandOver(p: { what: string; at: string; filter?: URLSearchParams; report?: boolean; size?: 'small' }) {
  const take = (format: string) => {
    const query = new URLSearchParams(p.filter);
    query.set('format', format);
    location.assign(`${p.at}?${query}`); // an attachment: the page stays
  };
  return (
    <Dropdown
      autoFocus
      trigger={['click']}
      menu={{ items: p.report ? [...formats, ...documents] : formats, onClick: ({ key }) => take(key) }}
    >
      <Button size={p.size} icon={<DownloadOutlined />} aria-haspopup="menu">
        {p.what}
      </Button>
    </Dropdown>
  );
}
