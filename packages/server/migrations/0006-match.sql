-- Settings that the artist gave a name: copies, so that undoing and changing something else never loses them.
CREATE TABLE named_states (
  id uuid PRIMARY KEY DEFAULT gen_random_uuid(),
  shot_id uuid NOT NULL REFERENCES shots ON DELETE CASCADE,
  name text NOT NULL,
  settings jsonb NOT NULL,
  created_at timestamptz NOT NULL DEFAULT now(),
  UNIQUE (shot_id, name)
);

-- Shutters that were found from references. The key stands for everything that a result depends on.
CREATE TABLE shutter_matches (
  shot_id uuid NOT NULL REFERENCES shots ON DELETE CASCADE,
  key text NOT NULL,
  result jsonb NOT NULL,
  created_at timestamptz NOT NULL DEFAULT now(),
  PRIMARY KEY (shot_id, key)
);
