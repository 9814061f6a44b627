PRAGMA user_version = 3;
BEGIN TRANSACTION;
CREATE TABLE build (
        id    TEXT PRIMARY KEY,
        added TEXT NOT NULL,
        body  TEXT NOT NULL
    );
INSERT INTO "build" VALUES('glim@1.0.0','2026-11-26T09:19:02.186066701Z','{"id":"glim@1.0.0","role":"loader","version":"1.0.0","machine":"x86_64","supports":null,"file":{"path":"glim.dll","name":"glim.dll","content":{"blake3":"161023b988c5878b62ed6907b78e1a52539561894fccba6bc8c41ab29f14d208","size":3584},"modified":[1772625600,0],"facts":{"machine":"x86_64","kind":"dll","size":3584,"stamp":1700000000,"version_info":{"fixed":{"file_version":[1,0,0,0],"product_version":[1,0,0,0],"flags":0},"tables":[{"language":1033,"code_page":1200,"strings":[["CompanyName","Glim"],["FileDescription","Glim plugin loader"]]}],"translations":[[1033,1200]]},"export_name":"glim.dll","imported_dlls":[],"managed":false,"packed":false,"signer":null,"faults":[]},"signature":"absent"},"parts":[{"path":"glim.ini","content":{"blake3":"5781eed66568652a144d4845362407312ab4a899ebc4efc140d65d0bba4e7d00","size":8},"modified":[1772625600,0],"facts":null},{"path":"old/one.bin","content":{"blake3":"28a249c2e4d3a92bc0a16ed8f1b5cf83ca20415ee12e502b096624902bbc97bd","size":4},"modified":[1772625600,0],"facts":null}],"layout":{"places":[{"from":"glim.dll","bay":"exe","to":"glim.dll","policy":"replace"},{"from":"glim.ini","bay":"exe","to":"glim.ini","policy":"merge"},{"from":"old/one.bin","bay":"exe","to":"old/one.bin","policy":"replace"}],"retires":[]},"left":[],"notes":[{"name":"notes.txt","content":{"blake3":"a0e62745213d172d82693e400741defa456561ff4a319c8fd71a97be6e6fbef5","size":12}}],"source":{"name":"old.zip","blake3":"bd19e4b36df8c1243ad00c32bc53290e517a4524ca6e28e357aeeaf5029dd80c","modified":[1772625600,0]},"added":"2026-11-26T09:19:02.186066701Z"}');
INSERT INTO "build" VALUES('glim@2.0.0','2026-11-26T09:19:02.207646757Z','{"id":"glim@2.0.0","role":"loader","version":"2.0.0","machine":"x86_64","supports":null,"file":{"path":"glim.dll","name":"glim.dll","content":{"blake3":"3d0105316aa57ba2adcf5bf7d86239fca65b876690c1744a1ec0ee95657a3dfc","size":3584},"modified":[1772625600,0],"facts":{"machine":"x86_64","kind":"dll","size":3584,"stamp":1700000000,"version_info":{"fixed":{"file_version":[2,0,0,0],"product_version":[2,0,0,0],"flags":0},"tables":[{"language":1033,"code_page":1200,"strings":[["CompanyName","Glim"],["FileDescription","Glim plugin loader"]]}],"translations":[[1033,1200]]},"export_name":"glim.dll","imported_dlls":[],"managed":false,"packed":false,"signer":null,"faults":[]},"signature":"absent"},"parts":[{"path":"glim.ini","content":{"blake3":"f8ca6120a7880495995016485a56d75b9a8616d8800efa10faab84628bcf75c1","size":12},"modified":[1772625600,0],"facts":null},{"path":"new/deep/two.bin","content":{"blake3":"28a249c2e4d3a92bc0a16ed8f1b5cf83ca20415ee12e502b096624902bbc97bd","size":4},"modified":[1772625600,0],"facts":null}],"layout":{"places":[{"from":"glim.dll","bay":"exe","to":"glim.dll","policy":"replace"},{"from":"glim.ini","bay":"exe","to":"glim.ini","policy":"merge"},{"from":"new/deep/two.bin","bay":"exe","to":"new/deep/two.bin","policy":"replace"}],"retires":[]},"left":[],"notes":[{"name":"notes.txt","content":{"blake3":"a0e62745213d172d82693e400741defa456561ff4a319c8fd71a97be6e6fbef5","size":12}}],"source":{"name":"new.zip","blake3":"3295d5f3481aca412ad393c800fc50d2d8acdff5afb85d433825eb933c1aa020","modified":[1772625600,0]},"added":"2026-11-26T09:19:02.207646757Z"}');
CREATE TABLE change (
        number  INTEGER PRIMARY KEY AUTOINCREMENT,
        game    TEXT NOT NULL,
        root    TEXT NOT NULL,
        summary TEXT NOT NULL,
        deed    TEXT NOT NULL,
        executable TEXT NOT NULL,
        despite TEXT NOT NULL,
        began   TEXT NOT NULL,
        state   TEXT NOT NULL
    );
INSERT INTO "change" VALUES(1,'pier','{GAME}','fit glim@1.0.0','"fit"','{"path":"Pier.exe","version":null,"size":3584,"stamp":1700000000}','[]','2026-11-26T09:19:02.276573073Z','done');
INSERT INTO "change" VALUES(2,'pier','{GAME}','fit glim@2.0.0','"fit"','{"path":"Pier.exe","version":null,"size":3584,"stamp":1700000000}','["pinned"]','2026-11-26T09:19:02.35945071Z','put-back');
INSERT INTO "change" VALUES(3,'pier','{GAME}','fit glim@2.0.0','"fit"','{"path":"Pier.exe","version":null,"size":3584,"stamp":1700000000}','["pinned"]','2026-11-26T09:19:29.885390424Z','open');
CREATE TABLE facts (
        path  TEXT PRIMARY KEY,
        mark  TEXT NOT NULL,
        body  TEXT NOT NULL
    ) WITHOUT ROWID;
CREATE TABLE game (
        id         TEXT PRIMARY KEY,
        root       TEXT NOT NULL UNIQUE,
        title      TEXT NOT NULL,
        registered INTEGER NOT NULL,
        settings   TEXT NOT NULL
    );
INSERT INTO "game" VALUES('pier','{GAME}','Pier',1,'{"executable":null,"edition":"harbour","online":null,"bays":{"second":"{BAY}"},"version_file":null}');
CREATE TABLE library_root (
        path TEXT PRIMARY KEY
    );
INSERT INTO "library_root" VALUES('{ROOT}');
CREATE TABLE pin (
        game    TEXT NOT NULL,
        family  TEXT NOT NULL,
        body    TEXT NOT NULL,
        PRIMARY KEY (game, family)
    );
INSERT INTO "pin" VALUES('pier','glim','{"game":"pier","family":"glim","version":"1.0.0","why":"newer ones stutter"}');
CREATE TABLE step (
        change   INTEGER NOT NULL REFERENCES change (number),
        position INTEGER NOT NULL,
        body     TEXT NOT NULL,
        PRIMARY KEY (change, position)
    );
INSERT INTO "step" VALUES(1,0,'{"path":"winmm.dll","family":"glim","before":null,"after":{"blake3":"161023b988c5878b62ed6907b78e1a52539561894fccba6bc8c41ab29f14d208","size":3584,"modified":[1772625600,0],"mode":420,"read_only":false,"version":"1.0.0"}}');
INSERT INTO "step" VALUES(1,1,'{"path":"glim.ini","family":"glim","before":null,"after":{"blake3":"5781eed66568652a144d4845362407312ab4a899ebc4efc140d65d0bba4e7d00","size":8,"modified":[1772625600,0],"mode":420,"read_only":false,"version":null}}');
INSERT INTO "step" VALUES(1,2,'{"path":"old/one.bin","family":"glim","before":null,"after":{"blake3":"28a249c2e4d3a92bc0a16ed8f1b5cf83ca20415ee12e502b096624902bbc97bd","size":4,"modified":[1772625600,0],"mode":420,"read_only":false,"version":null},"folders":1}');
INSERT INTO "step" VALUES(2,0,'{"path":"winmm.dll","family":"glim","before":{"blake3":"161023b988c5878b62ed6907b78e1a52539561894fccba6bc8c41ab29f14d208","size":3584,"modified":[1772625600,0],"mode":420,"read_only":false,"version":"1.0.0"},"after":{"blake3":"3d0105316aa57ba2adcf5bf7d86239fca65b876690c1744a1ec0ee95657a3dfc","size":3584,"modified":[1772625600,0],"mode":420,"read_only":false,"version":"2.0.0"}}');
INSERT INTO "step" VALUES(2,1,'{"path":"glim.ini","family":"glim","before":{"blake3":"a5d44b02a8c58e7d846d8aebfb11a4f2cd9988fdcb27a950482022f1776fc09e","size":10,"modified":[1795684742,282903670],"mode":420,"read_only":false,"version":null},"after":{"blake3":"89bc561f2a87599b10939c0d5c069e2d6cc45611342bde25039b649dd82df170","size":15,"modified":[1795684742,282903670],"mode":420,"read_only":false,"version":null}}');
INSERT INTO "step" VALUES(2,2,'{"path":"new/deep/two.bin","family":"glim","before":null,"after":{"blake3":"28a249c2e4d3a92bc0a16ed8f1b5cf83ca20415ee12e502b096624902bbc97bd","size":4,"modified":[1772625600,0],"mode":420,"read_only":false,"version":null},"folders":2}');
INSERT INTO "step" VALUES(2,3,'{"path":"old/one.bin","family":"glim","before":{"blake3":"28a249c2e4d3a92bc0a16ed8f1b5cf83ca20415ee12e502b096624902bbc97bd","size":4,"modified":[1772625600,0],"mode":420,"read_only":false,"version":null},"after":null,"folders":1}');
INSERT INTO "step" VALUES(3,0,'{"path":"winmm.dll","family":"glim","before":{"blake3":"161023b988c5878b62ed6907b78e1a52539561894fccba6bc8c41ab29f14d208","size":3584,"modified":[1795684769,854141765],"mode":420,"read_only":false,"version":"1.0.0"},"after":{"blake3":"3d0105316aa57ba2adcf5bf7d86239fca65b876690c1744a1ec0ee95657a3dfc","size":3584,"modified":[1772625600,0],"mode":420,"read_only":false,"version":"2.0.0"}}');
INSERT INTO "step" VALUES(3,1,'{"path":"glim.ini","family":"glim","before":{"blake3":"a5d44b02a8c58e7d846d8aebfb11a4f2cd9988fdcb27a950482022f1776fc09e","size":10,"modified":[1795684769,854097689],"mode":420,"read_only":false,"version":null},"after":{"blake3":"89bc561f2a87599b10939c0d5c069e2d6cc45611342bde25039b649dd82df170","size":15,"modified":[1795684769,854097689],"mode":420,"read_only":false,"version":null}}');
INSERT INTO "step" VALUES(3,2,'{"path":"new/deep/two.bin","family":"glim","before":null,"after":{"blake3":"28a249c2e4d3a92bc0a16ed8f1b5cf83ca20415ee12e502b096624902bbc97bd","size":4,"modified":[1772625600,0],"mode":420,"read_only":false,"version":null},"folders":2}');
INSERT INTO "step" VALUES(3,3,'{"path":"old/one.bin","family":"glim","before":{"blake3":"28a249c2e4d3a92bc0a16ed8f1b5cf83ca20415ee12e502b096624902bbc97bd","size":4,"modified":[1795684769,854203701],"mode":420,"read_only":false,"version":null},"after":null,"folders":1}');
DELETE FROM "sqlite_sequence";
INSERT INTO "sqlite_sequence" VALUES('change',3);
COMMIT;
