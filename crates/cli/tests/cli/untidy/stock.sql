-- Capitals, codes as keys, single letters for yes and no, tables without keys, numbers for everything.
CREATE TABLE "ARTICLE" ("ARTNO" char(12) PRIMARY KEY, "ARTNAME1" varchar(40), "ARTNAME2" varchar(40), "UNITPRICE" decimal(12,4), "TAXRATE" decimal(5,2), "WEIGHT_KG" decimal(9,3), "HEIGHT_MM" decimal(6,0), "STOCKYN" char(1) DEFAULT 'Y' CHECK ("STOCKYN" IN ('Y', 'N')), "GRP" char(3), "CHGDATE" date, "CHGUSER" varchar(8));
CREATE TABLE "ARTGRP" ("GRP" char(3) PRIMARY KEY, "TXT" varchar(30));
CREATE TABLE "STOCKMOVE" ("ARTNO" char(12) NOT NULL, "PLACE" char(6) NOT NULL, "QTY" decimal(12,3), "MOVEDATE" date, "DOCNO" decimal(10,0));
CREATE TABLE "PLACE" ("PLACE" char(6) NOT NULL, "AISLE" integer NOT NULL, "SHELF" integer NOT NULL, "MAXLOAD_KG" decimal(8,1), UNIQUE ("PLACE"));
CREATE TABLE "ORDHEAD" ("YEAR" decimal(4,0) NOT NULL, "ORDNO" decimal(8,0) NOT NULL, "CUSTNO" decimal(6,0), "ORDDATE" date, "AMOUNT" decimal(12,2), PRIMARY KEY ("YEAR", "ORDNO"));
CREATE TABLE "ORDLINE" ("YEAR" decimal(4,0) NOT NULL, "ORDNO" decimal(8,0) NOT NULL, "LINE" integer NOT NULL, "ARTNO" char(12), "QTY" decimal(12,3), "AMOUNT" decimal(12,2), PRIMARY KEY ("YEAR", "ORDNO", "LINE"), FOREIGN KEY ("YEAR", "ORDNO") REFERENCES "ORDHEAD" ("YEAR", "ORDNO"), FOREIGN KEY ("ARTNO") REFERENCES "ARTICLE" ("ARTNO"));
CREATE TABLE "IMPORT_TMP" ("C1" varchar(200), "C2" varchar(200), "C3" varchar(200));
-- then
ALTER TABLE "ARTICLE" RENAME COLUMN "ARTNAME1" TO "NAME";
ALTER TABLE "STOCKMOVE" ADD COLUMN "REASON" char(2);
ALTER TABLE "ORDHEAD" DROP COLUMN "AMOUNT";
