-- Cameras that artists gave to a shot: by frame, where points of the scene are seen.
CREATE TABLE camera_tracks (
  id uuid PRIMARY KEY DEFAULT gen_random_uuid(),
  shot_id uuid NOT NULL REFERENCES shots ON DELETE CASCADE,
  name text NOT NULL,
  frames jsonb NOT NULL,
  created_at timestamptz NOT NULL DEFAULT now()
);

-- What the passes that an encoding was kept for look like: channel names, types, header.
ALTER TABLE encodings ADD COLUMN fingerprint text;
