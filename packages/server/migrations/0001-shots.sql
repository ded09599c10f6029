CREATE TABLE shots (
  id uuid PRIMARY KEY DEFAULT gen_random_uuid(),
  name text NOT NULL,
  folder text NOT NULL UNIQUE,
  first_frame integer NOT NULL,
  last_frame integer NOT NULL,
  fps double precision,
  width integer NOT NULL,
  height integer NOT NULL,
  -- The state that the artist sees; later ones can be redone.
  current_state integer NOT NULL DEFAULT 1,
  changed_at timestamptz NOT NULL DEFAULT now(),
  CHECK (first_frame <= last_frame)
);

-- A sequence of files, read in place: facts found on disk.
CREATE TABLE sequences (
  id uuid PRIMARY KEY DEFAULT gen_random_uuid(),
  shot_id uuid NOT NULL REFERENCES shots ON DELETE CASCADE,
  name text NOT NULL,
  pattern jsonb NOT NULL,
  frames integer[] NOT NULL,
  missing integer[] NOT NULL,
  fps double precision,
  facts jsonb NOT NULL,
  UNIQUE (shot_id, name)
);

CREATE TABLE passes (
  id uuid PRIMARY KEY DEFAULT gen_random_uuid(),
  sequence_id uuid NOT NULL REFERENCES sequences ON DELETE CASCADE,
  part integer NOT NULL,
  layer text NOT NULL,
  channels jsonb NOT NULL,
  width integer NOT NULL,
  height integer NOT NULL,
  pixel_aspect double precision NOT NULL,
  compression text NOT NULL,
  guess jsonb NOT NULL,
  UNIQUE (sequence_id, part, layer)
);

CREATE TABLE findings (
  id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
  shot_id uuid NOT NULL REFERENCES shots ON DELETE CASCADE,
  sequence_id uuid REFERENCES sequences ON DELETE CASCADE,
  frame integer,
  severity text NOT NULL CHECK (severity IN ('info', 'warning', 'error')),
  message text NOT NULL
);

-- Every state of a shot's settings, for undo.
CREATE TABLE shot_states (
  shot_id uuid NOT NULL REFERENCES shots ON DELETE CASCADE,
  sequence integer NOT NULL,
  label text NOT NULL,
  settings jsonb NOT NULL,
  created_at timestamptz NOT NULL DEFAULT now(),
  PRIMARY KEY (shot_id, sequence)
);

CREATE TABLE encodings (
  id uuid PRIMARY KEY DEFAULT gen_random_uuid(),
  name text NOT NULL,
  version integer NOT NULL,
  document jsonb NOT NULL,
  created_at timestamptz NOT NULL DEFAULT now(),
  UNIQUE (name, version)
);

CREATE TABLE deliveries (
  id uuid PRIMARY KEY DEFAULT gen_random_uuid(),
  shot_id uuid NOT NULL REFERENCES shots ON DELETE CASCADE,
  state text NOT NULL CHECK (state IN ('running', 'done', 'failed', 'cancelled')),
  folder text NOT NULL,
  pattern text NOT NULL,
  options jsonb NOT NULL,
  -- What the shot was set to when the delivery was ordered: later changes do not touch it.
  settings jsonb NOT NULL,
  created_at timestamptz NOT NULL DEFAULT now()
);

CREATE TABLE delivery_frames (
  delivery_id uuid NOT NULL REFERENCES deliveries ON DELETE CASCADE,
  frame integer NOT NULL,
  state text NOT NULL CHECK (state IN ('waiting', 'running', 'done', 'failed')),
  milliseconds integer,
  error text,
  PRIMARY KEY (delivery_id, frame)
);
