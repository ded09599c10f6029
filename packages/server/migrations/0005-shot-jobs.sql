-- Work that one shot has under way, or had last: what was asked for, what came of it, and the frames that are written. A start of the
-- server goes on with what was running.
CREATE TABLE shot_jobs (
  shot_id uuid NOT NULL REFERENCES shots ON DELETE CASCADE,
  kind text NOT NULL CHECK (kind IN ('remap', 'make')),
  asked jsonb NOT NULL,
  status jsonb NOT NULL,
  written integer[] NOT NULL DEFAULT '{}',
  changed_at timestamptz NOT NULL DEFAULT now(),
  PRIMARY KEY (shot_id, kind)
);
