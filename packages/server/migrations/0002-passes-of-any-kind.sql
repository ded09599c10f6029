-- What is found about files and pixels. Findings are worked out from these and the settings, and kept so that they can be counted.
ALTER TABLE sequences
  ADD COLUMN format text NOT NULL DEFAULT 'OpenEXR',
  ADD COLUMN broken jsonb NOT NULL DEFAULT '[]',
  ADD COLUMN different integer[] NOT NULL DEFAULT '{}',
  ADD COLUMN doubles text[] NOT NULL DEFAULT '{}';

ALTER TABLE passes
  ADD COLUMN cryptomatte boolean NOT NULL DEFAULT false,
  ADD COLUMN usual jsonb NOT NULL DEFAULT '{"curve": "linear", "alpha": {"kind": "premultiplied"}}',
  -- A list of measures, one a frame that was looked at.
  ADD COLUMN measures jsonb NOT NULL DEFAULT '[]';

ALTER TABLE shots
  ADD COLUMN unreadable jsonb NOT NULL DEFAULT '[]',
  ADD COLUMN beauty_blur jsonb,
  -- The folder as it was when it was looked at last: when it differs, frames have arrived.
  ADD COLUMN signature text NOT NULL DEFAULT '';

ALTER TABLE findings
  ADD COLUMN effect text,
  ADD COLUMN pass_id uuid REFERENCES passes ON DELETE CASCADE,
  ADD COLUMN fixes jsonb NOT NULL DEFAULT '[]';

CREATE TABLE luts (
  id uuid PRIMARY KEY DEFAULT gen_random_uuid(),
  name text NOT NULL,
  kind text NOT NULL CHECK (kind IN ('curves', 'cube')),
  size integer NOT NULL,
  -- The .cube text as it was given.
  document text NOT NULL,
  created_at timestamptz NOT NULL DEFAULT now()
);

-- A folder that is being uploaded; its files lie in the managed store.
CREATE TABLE uploads (
  id uuid PRIMARY KEY DEFAULT gen_random_uuid(),
  name text NOT NULL,
  created_at timestamptz NOT NULL DEFAULT now()
);
