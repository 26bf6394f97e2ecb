-- What each step of a model's structure version was about: engines apply new origins and rates without reading the rest anew.
CREATE TABLE structure_step (
	model_id integer NOT NULL REFERENCES model ON DELETE CASCADE,
	version integer NOT NULL,
	what text NOT NULL CHECK (what IN ('definition', 'origins', 'rates')),
	PRIMARY KEY (model_id, version)
);
