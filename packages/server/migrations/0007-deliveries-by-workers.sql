-- Deliveries are rendered by worker processes on any machine. Each is known by its heartbeat.
CREATE TABLE workers (
  id uuid PRIMARY KEY,
  name text NOT NULL,
  host text NOT NULL,
  pid integer NOT NULL,
  threads integer NOT NULL,
  doing text,
  frames_done integer NOT NULL DEFAULT 0,
  started_at timestamptz NOT NULL DEFAULT now(),
  seen_at timestamptz NOT NULL DEFAULT now()
);

ALTER TABLE deliveries
  DROP CONSTRAINT deliveries_state_check,
  ADD CONSTRAINT deliveries_state_check CHECK (state IN ('running', 'paused', 'finishing', 'done', 'failed', 'cancelled')),
  -- The shot as it was when the delivery was ordered: its files, and all that was decided. Null in deliveries from before.
  ADD COLUMN document jsonb,
  -- The folder that file names are below.
  ADD COLUMN root text,
  -- What its files are called, with #### for the frame: no two deliveries write the same at one time.
  ADD COLUMN place text,
  ADD COLUMN finisher uuid,
  ADD COLUMN error text,
  ADD COLUMN extras jsonb NOT NULL DEFAULT '[]';

UPDATE deliveries SET
  root = regexp_replace(folder, '/[^/]+/[^/]+$', ''),
  place = id::text,
  options = jsonb_build_object(
    'name', options->'name',
    'what', jsonb_build_array(coalesce(options->'what', '{"kind": "element", "element": null}'::jsonb)),
    'form', jsonb_build_object('kind', 'exr', 'type', options->'type', 'compression', options->'compression'),
    'firstFrame', options->'firstFrame',
    'lastFrame', options->'lastFrame');

ALTER TABLE deliveries ALTER COLUMN root SET NOT NULL, ALTER COLUMN place SET NOT NULL;
CREATE UNIQUE INDEX deliveries_place ON deliveries (place) WHERE state IN ('running', 'paused', 'finishing');

ALTER TABLE delivery_frames
  ADD COLUMN worker uuid,
  ADD COLUMN attempt integer NOT NULL DEFAULT 0,
  -- Not before this: what failed waits longer each time.
  ADD COLUMN retry_at timestamptz NOT NULL DEFAULT now(),
  ADD COLUMN kept boolean NOT NULL DEFAULT false,
  ADD COLUMN bytes bigint,
  -- What was odd about it, in sentences; it was made all the same.
  ADD COLUMN notes jsonb NOT NULL DEFAULT '[]';
CREATE INDEX delivery_frames_open ON delivery_frames (delivery_id) WHERE state IN ('waiting', 'running');

-- What was written where: a file is left as it is while it holds what the same inputs and settings make.
CREATE TABLE made_files (
  file text PRIMARY KEY,
  key text NOT NULL,
  sha256 text NOT NULL,
  bytes bigint NOT NULL,
  made_at timestamptz NOT NULL DEFAULT now()
);

-- What source files hold, while their size, time and inode stay.
CREATE TABLE file_digests (
  file text PRIMARY KEY,
  stamp text NOT NULL,
  digest text NOT NULL,
  seen_at timestamptz NOT NULL DEFAULT now()
);
