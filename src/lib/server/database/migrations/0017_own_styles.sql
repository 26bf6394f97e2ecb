-- Whether a person has chosen how numbers and dates are written; until then the browser's way is taken at sign-in.
ALTER TABLE person ADD COLUMN locale_chosen boolean NOT NULL DEFAULT false;
