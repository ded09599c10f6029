-- Who may sign in where the application is reached from other machines.
CREATE TABLE people (
  id uuid PRIMARY KEY DEFAULT gen_random_uuid(),
  name text NOT NULL,
  role text NOT NULL CHECK (role IN ('look', 'work', 'admin')),
  -- scrypt: its settings, salt and hash in one text.
  password text NOT NULL,
  created_at timestamptz NOT NULL DEFAULT now()
);
CREATE UNIQUE INDEX people_name ON people (lower(name));

-- A browser that is signed in holds a random token; here is its hash.
CREATE TABLE sessions (
  token_hash text PRIMARY KEY,
  person_id uuid NOT NULL REFERENCES people ON DELETE CASCADE,
  created_at timestamptz NOT NULL DEFAULT now(),
  seen_at timestamptz NOT NULL DEFAULT now()
);

-- Who changed what. Rows are only added.
CREATE TABLE changes (
  id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
  at timestamptz NOT NULL DEFAULT now(),
  -- Names, not ids: the log outlives people and shots.
  person text NOT NULL,
  shot text,
  what text NOT NULL
);
CREATE INDEX changes_at ON changes (at DESC);
