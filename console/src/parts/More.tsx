import { Button } from 'antd';

/** The way to the next page of a list that is read page by page; nothing behind its last. */
export function More(p: {
  list: { hasNextPage: boolean; isFetchingNextPage: boolean; fetchNextPage: () => Promise<unknown> };
  says?: string;
}) {
  if (!p.list.hasNextPage) return null;
  return (
    <Button style={{ marginTop: 8 }} loading={p.list.isFetchingNextPage} onClick={() => void p.list.fetchNextPage()}>
      {p.says ?? 'Show more'}
    </Button>
  );
}
