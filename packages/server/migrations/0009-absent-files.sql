-- How many looks at the folder have not found it: 0 is there, 2 stands for more. What comes back is the same pass as before, with all that was decided about it.
ALTER TABLE sequences ADD COLUMN looks_absent smallint NOT NULL DEFAULT 0;
ALTER TABLE passes ADD COLUMN looks_absent smallint NOT NULL DEFAULT 0;
