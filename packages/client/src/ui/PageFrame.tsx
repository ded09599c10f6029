import { BulbOutlined, SearchOutlined } from '@ant-design/icons';
import { Button, Input, Tooltip } from 'antd';
import { useEffect, type HTMLAttributes, type ReactNode } from 'react';
import { NavLink } from 'react-router';
import { WhoIsHere } from './WhoIsHere';
import { useAppearance } from './appearance';

interface Props {
  readonly title: string;
  /** Null: there is nothing to look through yet. */
  readonly search: {
    readonly label: string;
    readonly placeholder: string;
    readonly text: string;
    readonly onChange: (text: string) => void;
  } | null;
  /** What else stands at the end of the bar. */
  readonly actions: ReactNode;
  readonly children: ReactNode;
  readonly over?: ReactNode;
  readonly handlers?: HTMLAttributes<HTMLDivElement>;
}

/** A page of its own, beside the shots' pages: its bar with the way to the others, and what it holds. */
export function PageFrame({ title, search, actions, children, over, handlers }: Props) {
  const toggle = useAppearance((s) => s.toggle);
  useEffect(() => {
    document.title = `${title} - Ivrex`;
  }, [title]);
  return (
    <div className="shots-page" {...handlers}>
      {over}
      <header className="top-bar">
        <h1>Ivrex</h1>
        <nav className="pages" aria-label="Pages">
          <NavLink to="/" end>
            Shots
          </NavLink>
          <NavLink to="/encodings">Encodings</NavLink>
          <NavLink to="/queue">Queue</NavLink>
          <NavLink to="/people">People</NavLink>
        </nav>
        <span className="spring" />
        {search !== null && (
          <Input
            allowClear
            size="small"
            style={{ width: 210 }}
            prefix={<SearchOutlined />}
            placeholder={search.placeholder}
            aria-label={search.label}
            value={search.text}
            onChange={(e) => search.onChange(e.target.value)}
          />
        )}
        {actions}
        <WhoIsHere />
        <Tooltip title="Dim or bright">
          <Button size="small" aria-label="Dim or bright" icon={<BulbOutlined />} onClick={toggle} />
        </Tooltip>
      </header>
      <main className="shots-body">{children}</main>
    </div>
  );
}
