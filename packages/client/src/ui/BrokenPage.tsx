import { Button } from 'antd';
import { Link, useLocation, useRouteError } from 'react-router';

/** In the place of a page, or of a panel, that met an error of ours. What was agreed is kept by the server; the rest of the page goes on. */
export function BrokenPage() {
  const error = useRouteError(),
    { pathname } = useLocation();
  return (
    <div className="empty-state" role="alert">
      <h2>This part of the page met an error</h2>
      <div>All that you set is kept. Load the page again to go on. If the error comes back, these words say where it is:</div>
      <code>{`${pathname.replace(/^.*\//, '/')}: ${error instanceof Error ? error.message : String(error)}`}</code>
      <Button onClick={() => window.location.reload()}>Load the page again</Button>
      <Link to="/">Go to the shots</Link>
    </div>
  );
}
