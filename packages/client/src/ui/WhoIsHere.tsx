import { LogoutOutlined } from '@ant-design/icons';
import { Button, Tooltip } from 'antd';
import { useSession, useSignOut } from '../api/session';

/** The name of who is signed in, with the way out; nothing where nobody has to. */
export function WhoIsHere() {
  const { data } = useSession(),
    out = useSignOut();
  if (!data?.required || data.person === null) return null;
  return (
    <>
      <span className="quiet">{data.person.name}</span>
      <Tooltip title="Sign out">
        <Button size="small" aria-label="Sign out" icon={<LogoutOutlined />} loading={out.isPending} onClick={() => out.mutate()} />
      </Tooltip>
    </>
  );
}
