import { Link } from 'react-router';

export function LostPage() {
  return (
    <div style={{ padding: 40 }}>
      <div className="empty-state">
        <h2>There is no page at this address</h2>
        <Link to="/">Go to the shots</Link>
      </div>
    </div>
  );
}
