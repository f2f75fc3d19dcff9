import { Input } from 'antd';
import { useNavigate } from 'react-router';

/** Traces any key, from every page. */
export function KeyBox() {
  const go = useNavigate();
  return (
    <Input.Search
      className="keybox"
      size="small"
      aria-label="Trace a key"
      placeholder="trace a key"
      title="A part of a key, or several with · between them"
      enterButton={false}
      onSearch={(text) => text.trim() && void go(`/trace?key=${encodeURIComponent(text.trim())}`)}
    />
  );
}
