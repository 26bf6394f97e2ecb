-- Who does not want to see their first steps in a model any more.
CREATE TABLE first_steps_left (
	person_id integer NOT NULL REFERENCES person ON DELETE CASCADE,
	model_id integer NOT NULL REFERENCES model ON DELETE CASCADE,
	PRIMARY KEY (person_id, model_id)
);
