-- How the files of a dataset were read when a revision of a mapping was published: its runs read them so, whatever comes.
CREATE TABLE reading (
  mapping text NOT NULL,
  revision integer NOT NULL,
  dataset text NOT NULL,
  read_as json NOT NULL,
  fields json NOT NULL,
  PRIMARY KEY (mapping, revision, dataset),
  FOREIGN KEY (mapping, revision) REFERENCES revision (mapping, number) ON DELETE CASCADE
);
