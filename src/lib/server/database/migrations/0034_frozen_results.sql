-- Results of live formulas as they stood when their slice was closed, packed by scenario and fiscal year.
CREATE TABLE frozen_results (
	model_id integer NOT NULL REFERENCES model ON DELETE CASCADE,
	scenario_id integer NOT NULL REFERENCES member ON DELETE CASCADE,
	fiscal_year integer NOT NULL,
	packed bytea NOT NULL,
	PRIMARY KEY (model_id, scenario_id, fiscal_year)
);

-- Up to which structure version what is closed has been frozen.
ALTER TABLE model ADD COLUMN frozen_version bigint NOT NULL DEFAULT 0;
