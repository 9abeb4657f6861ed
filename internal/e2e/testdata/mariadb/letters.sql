--- case tables under names in other letters
--- target
CREATE TABLE Berth (Id INT PRIMARY KEY, Name VARCHAR(10) NOT NULL);
CREATE TABLE gone (id INT PRIMARY KEY);
CREATE TABLE Crane (id INT PRIMARY KEY, berth INT);
--- source
CREATE TABLE BERTH (Id INT PRIMARY KEY, Name VARCHAR(20) NOT NULL, length_m INT);
CREATE TABLE Crane (id INT PRIMARY KEY, berth INT, CONSTRAINT at_berth FOREIGN KEY (berth) REFERENCES BERTH (Id));
CREATE TABLE Ship (id INT PRIMARY KEY, berth INT, KEY at_berth (berth), CONSTRAINT ship_berth FOREIGN KEY (berth) REFERENCES BERTH (Id));
CREATE SEQUENCE Calls START WITH 7;
CREATE VIEW Berth_Names AS SELECT b.Id, b.Name FROM BERTH b;
CREATE VIEW Afloat AS SELECT s.id, n.Name FROM Ship s JOIN Berth_Names n ON n.Id = s.berth;
CREATE TRIGGER Moored BEFORE INSERT ON Ship FOR EACH ROW SET NEW.berth = (SELECT min(Id) FROM `BERTH`);
CREATE FUNCTION Longest() RETURNS INT READS SQL DATA RETURN (SELECT max(length_m) FROM BERTH JOIN Crane c ON c.berth = BERTH.Id);
CREATE PROCEDURE Count_Ships() SELECT count(*) FROM Ship;
--- rows
INSERT INTO Berth VALUES (1, 'north'), (2, 'south'); INSERT INTO Crane VALUES (1, 2);
--- keep SELECT Id, Name FROM Berth ORDER BY Id
