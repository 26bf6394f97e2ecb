-- Runs in branches: what they write stands in the branch alone.
ALTER TABLE run ADD COLUMN branch_id integer REFERENCES branch ON DELETE CASCADE;
-- The version of the branch it left behind.
ALTER TABLE run ADD COLUMN branch_version integer;
-- Which steps (ids) it was of, null for all, and whether it took away what they wrote: to be run once more as it was.
ALTER TABLE run ADD COLUMN part jsonb;
-- Of a run of the plan: the branch it was merged with.
ALTER TABLE run ADD COLUMN merged_branch_id integer REFERENCES branch ON DELETE SET NULL;
CREATE INDEX run_branch ON run (branch_id) WHERE branch_id IS NOT NULL;
CREATE INDEX run_merged_branch ON run (merged_branch_id) WHERE merged_branch_id IS NOT NULL;

-- Results that are a branch's own: of the plan's nothing reads through there.
CREATE TABLE branch_result (
	branch_id integer NOT NULL REFERENCES branch ON DELETE CASCADE,
	origin_id integer NOT NULL REFERENCES origin ON DELETE CASCADE,
	-- In which leaf periods (members); null for all.
	periods integer[],
	-- The origins whose results its step read, and the run that wrote it last.
	reads integer[] NOT NULL DEFAULT '{}',
	run_id integer REFERENCES run ON DELETE SET NULL,
	PRIMARY KEY (branch_id, origin_id)
);
