-- A book as version 1 of the format wrote it: tables and rows, as they were.
CREATE TABLE subject (id INTEGER PRIMARY KEY, name TEXT NOT NULL, kind TEXT NOT NULL, description TEXT NOT NULL,
  recipe TEXT NOT NULL, note TEXT NOT NULL DEFAULT '', removed INTEGER NOT NULL DEFAULT 0) STRICT;
CREATE TABLE variant (id INTEGER PRIMARY KEY, subject_id INTEGER NOT NULL REFERENCES subject(id), name TEXT NOT NULL,
  changed TEXT NOT NULL, removed INTEGER NOT NULL DEFAULT 0) STRICT;
CREATE TABLE sample (id INTEGER PRIMARY KEY, subject_id INTEGER NOT NULL REFERENCES subject(id), name TEXT NOT NULL,
  UNIQUE (subject_id, name)) STRICT;
CREATE TABLE rig (id INTEGER PRIMARY KEY, calibration TEXT NOT NULL UNIQUE, added_at TEXT NOT NULL) STRICT;
CREATE TABLE raw (hash TEXT PRIMARY KEY, sample_rate_hz REAL NOT NULL, channel_count INTEGER NOT NULL,
  file_name TEXT NOT NULL, bytes BLOB NOT NULL) STRICT;
CREATE TABLE take (id INTEGER PRIMARY KEY, subject_id INTEGER NOT NULL REFERENCES subject(id),
  variant_id INTEGER NOT NULL REFERENCES variant(id), sample_id INTEGER REFERENCES sample(id),
  rig_id INTEGER REFERENCES rig(id), kind TEXT NOT NULL, form TEXT NOT NULL, name TEXT NOT NULL,
  conditions TEXT NOT NULL, raw_hash TEXT NOT NULL REFERENCES raw(hash), raw_name TEXT NOT NULL,
  sample_rate_hz REAL NOT NULL, remarks TEXT NOT NULL, accepted INTEGER NOT NULL, taken_at TEXT NOT NULL,
  note TEXT NOT NULL DEFAULT '', removed INTEGER NOT NULL DEFAULT 0) STRICT;
CREATE INDEX take_of_subject ON take(subject_id, id);
CREATE TABLE on_score (take_id INTEGER PRIMARY KEY REFERENCES take(id), colour INTEGER NOT NULL) STRICT;
CREATE TABLE view (key TEXT PRIMARY KEY, value TEXT NOT NULL) STRICT;
CREATE TABLE derived (key TEXT PRIMARY KEY, bytes BLOB NOT NULL) STRICT;
PRAGMA application_id = 1279347791;
PRAGMA user_version = 1;
INSERT INTO subject VALUES (1, 'Kiosk two-way', 'loudspeaker', '{"loading":"vented"}',
  '{"continue_tail":false,"gate_s":0.0031,"gated":true,"smoothing":12}', 'for the mill', 0);
INSERT INTO variant VALUES (1, 1, 'Bare', 'no damping', 0), (2, 1, 'Walls', 'lined with felt', 0),
  (3, 1, 'Later', 'slot opened', 0);
INSERT INTO sample VALUES (1, 1, 'A');
INSERT INTO raw VALUES ('h1', 0.0, 0, 'curve.frd', X'3130302038300A3230302038310A');
INSERT INTO raw VALUES ('h2', 0.0, 0, 'curve.zma', X'31303020380A32303020390A');
INSERT INTO take VALUES
 (1,1,1,1,NULL,'impedance','text','With mass','{"condition":"added-mass","distance_m":1.0,"driver":"woofer","drive_v":1.0,"more":{"added_mass_g":10.0}}','h2','curve.zma',0.0,'[]',1,'2031-01-01T00:00:01Z','',0),
 (2,1,1,NULL,NULL,'response','text','Near field, woofer','{"condition":"near-field","driver":"woofer","distance_m":0.005,"drive_v":0.5,"more":{"plan_item":"s/near-woofer","drawing":"abc"}}','h1','curve.frd',0.0,'[]',1,'2031-01-01T00:00:02Z','',0),
 (3,1,1,NULL,NULL,'response','text','Near field, port','{"condition":"","distance_m":1.0,"drive_v":0.5,"more":{"kind":"near-field","source":"port"}}','h1','curve.frd',0.0,'[]',1,'2031-01-01T00:00:03Z','',0),
 (4,1,1,NULL,NULL,'response','text','0','{"distance_m":1.5,"drive_v":2.83,"horizontal_deg":0.0,"more":{"shelf_mark":7,"polarity_flipped":"tweeter"}}','h1','curve.frd',0.0,'[]',1,'2031-01-01T00:00:04Z','on axis',0),
 (5,1,2,NULL,NULL,'response','text','30','{"distance_m":1.5,"drive_v":2.83,"horizontal_deg":30.0}','h1','curve.frd',0.0,'[]',1,'2031-01-01T00:00:05Z','',0),
 (6,1,2,NULL,NULL,'response','text','60','{"distance_m":1.5,"drive_v":2.83,"horizontal_deg":60.0}','h1','curve.frd',0.0,'[]',1,'2031-01-01T00:00:06Z','',0),
 (7,1,2,NULL,NULL,'response','text','axis','{"distance_m":1.5,"drive_v":2.83,"horizontal_deg":0.0}','h1','curve.frd',0.0,'[]',1,'2031-01-01T00:00:07Z','',0),
 (8,1,2,NULL,NULL,'response','impulse-response','Tones','{"distance_m":2.0,"more":{"kind":"multitone","tones_hz":[31.5,97.1],"spl_db":86}}','h1','mt.wav',0.0,'[]',1,'2031-01-01T00:00:08Z','',0),
 (9,1,3,NULL,NULL,'tilt','text','From the future','{"more":{"slope":3}}','h1','curve.frd',0.0,'[]',1,'2031-01-01T00:00:09Z','',0);
INSERT INTO on_score VALUES (4, 0), (7, 1);
INSERT INTO view VALUES ('lanes','[{"kind":"level"}]'), ('rig','{"rig_name":"Mine"}'), ('plan/1','{"purpose":"x"}'),
 ('boxes-1','{"power_w":30}'), ('practice-1','{"case":"one","verdict":""}'), ('plan-templates','{"mine":{}}'),
 ('stand','1.5 1.2 1.25 2.4 - 2 - 3 1'), ('plan/99','{"of":"a subject that is gone"}');
INSERT INTO derived VALUES ('miniature x', X'00');
