-- What was worked out about motion passes. The key stands for everything that a result depends on: files, numbering, readings, encoding.
CREATE TABLE motion_readings (
  shot_id uuid NOT NULL REFERENCES shots ON DELETE CASCADE,
  key text NOT NULL,
  result jsonb NOT NULL,
  created_at timestamptz NOT NULL DEFAULT now(),
  PRIMARY KEY (shot_id, key)
);

CREATE TABLE motion_audits (
  shot_id uuid NOT NULL REFERENCES shots ON DELETE CASCADE,
  key text NOT NULL,
  frame integer NOT NULL,
  -- Null when the frame could not be read; error then says why.
  audit jsonb,
  error text,
  created_at timestamptz NOT NULL DEFAULT now(),
  PRIMARY KEY (shot_id, key, frame)
);
