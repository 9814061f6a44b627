//! The meaning of each finding: the text behind `explain` and the page of findings.

use std::borrow::Cow;

use crate::remedy::{Action, Remedy};

/// A placeholder for the user to fill in.
const GAME: Cow<'static, str> = Cow::Borrowed("GAME");
const BUILD: Cow<'static, str> = Cow::Borrowed("BUILD");
const FAMILY: Cow<'static, str> = Cow::Borrowed("FAMILY");
const FOLDER: Cow<'static, str> = Cow::Borrowed("FOLDER");
const PATTERN: Cow<'static, str> = Cow::Borrowed("PATTERN");
const SAVES: Cow<'static, str> = Cow::Borrowed("saves");
const VERSION: Cow<'static, str> = Cow::Borrowed("VERSION");
const NAME: Cow<'static, str> = Cow::Borrowed("NAME");

/// The description of a finding.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct About {
    /// The code.
    pub code: &'static str,
    /// The cause.
    pub cause: &'static str,
    /// The consequence.
    pub consequence: &'static str,
    /// What to do.
    pub remedy: Remedy,
    /// An example of the finding.
    pub example: &'static str,
    /// Whether it can be overridden: without a place for a file there is nothing to continue with.
    pub overridable: bool,
}

const fn about(
    code: &'static str,
    cause: &'static str,
    consequence: &'static str,
    remedy: Remedy,
    example: &'static str,
) -> About {
    About { code, cause, consequence, remedy, example, overridable: true }
}

const fn without_way_on(
    code: &'static str,
    cause: &'static str,
    consequence: &'static str,
    remedy: Remedy,
    example: &'static str,
) -> About {
    About { code, cause, consequence, remedy, example, overridable: false }
}

/// Every finding, by code.
pub static ABOUT: [About; 63] = [
    about(
        "advised-against",
        "A feed says that the build fails with this version of the game.",
        "It will most likely fail here too.",
        Remedy::text("Use the build that is named, or another."),
        "lampwright@31.4.0 fails with version 22.4.9 of the game, says the feed lantern (as of 2026-03-09): it does not find the functions it hooks.",
    ),
    about(
        "already-fitted",
        "Every place holds the build's content already.",
        "There is nothing to do.",
        Remedy::text("None needed."),
        "Kite Harbour already has brine@2.8.1 in every place.",
    ),
    about(
        "altered-since",
        "A fitted file has changed since: the launcher updated or repaired the game, or the file was swapped by hand.",
        "Rollback leaves it alone: an old original over a newer file would harm the game.",
        Remedy::by(
            "Examine the present file. If the launcher put it there, it is the game's own file now.",
            Action::LookOver { game: GAME },
        ),
        "bin/winmm.dll was left alone: version 2.3.0 was put there, but something else has since put version 2.4.0 in its place.",
    ),
    about(
        "another-game",
        "The release given to `wind` has hardly any paths in common with the game, or its files are one level higher or lower.",
        "Its files would be put where the game never looks, beside its own.",
        Remedy::by(
            "Give the folder that corresponds to the game's own folder.",
            Action::WindFrom { folder: FOLDER },
        ),
        "D:/older is one level too high: the files of Kite Harbour begin in its folder kite-harbour.",
    ),
    without_way_on(
        "bay-unknown",
        "The build's layout puts a file into a bay that is not set up for this game.",
        "The file would have nowhere to go.",
        Remedy::by(
            "Name the folder for that bay, or change the layout.",
            Action::NameBay { game: GAME, bay: NAME },
        ),
        "undertow@2.3.0 puts a file into the bay `second`, which Saltglass Drift lacks.",
    ),
    about(
        "broken-before",
        "The game cannot load everything that it needs, with the change or without it.",
        "The game does not start, and the change does not fix that.",
        Remedy::by("List the missing files.", Action::CheckGame { game: GAME }),
        "Kite Harbour cannot load everything even now: System/KiteHarbour.exe does not get what it needs from brine.dll. This change does not fix that.",
    ),
    about(
        "component-gone",
        "A library that the records know is not there any more, and no change has taken it out.",
        "The game starts without it, or not at all.",
        Remedy::by("Restore it.", Action::Refit { game: GAME, family: FAMILY }),
        "System/brine.dll is gone: brine 2.8.1 was fitted there, and something else has removed it.",
    ),
    about(
        "conflicts",
        "The catalog says that two families, or some of their versions, do not work together, and the game has the other one.",
        "One of them fails, or the game crashes.",
        Remedy::by(
            "Leave this one out, or take the other one out first.",
            Action::Park { game: GAME, family: FAMILY },
        ),
        "glim@2.0.0 does not work together with undertow 2.1.0, which Saltglass Drift has (bin/winmm.dll).",
    ),
    about(
        "debug-build",
        "The library is flagged as a debug build, or needs runtimes that come with developers' tools.",
        "It is slow, and on most machines it does not load at all.",
        Remedy::text("Use the release build."),
        "lens@3.1.0+debug is a debug build (lens.dll says so): it is slow, and it needs runtimes that players do not have.",
    ),
    about(
        "download-unfinished",
        "A file has the ending of an unfinished download.",
        "The game does not read a file with that name, and the complete file is missing.",
        Remedy::text("Download the file again, and remove the remains."),
        "System/brine.dll.part is the remains of an unfinished download; the game does not read a file with that name.",
    ),
    about(
        "edition-mismatch",
        "The catalog says that the build is for certain store editions of the game. This game has another edition, or an unknown one.",
        "Addresses in the executable differ between editions: it fails when the game starts.",
        Remedy::by(
            "Use the build for your edition. If the edition is not known, say which you have.",
            Action::NameEdition { game: GAME },
        ),
        "lampwright@31.4.0+x86 is for the harbour edition, and Moss & Meridian is the hillside edition.",
    ),
    about(
        "entry-incomplete",
        "A library has the name of one of Windows' own, and lacks functions that the game imports from that name.",
        "Windows refuses to start the game, since an entry point is missing.",
        Remedy::by(
            "Choose a name whose functions the loader fully provides.",
            Action::ShowEntries { game: GAME },
        ),
        "System/dxgi.dll lacks a function that KiteHarbour.exe imports from dxgi.dll: CreateDXGIFactory1; the game does not start.",
    ),
    about(
        "entry-not-loaded",
        "Neither the executable nor a library that it loads imports a library of that name, or Windows always takes its own.",
        "The file is there and does nothing.",
        Remedy::by("Choose a name that is loaded.", Action::ShowEntries { game: GAME }),
        "undertow@2.3.0 as undertow.dll would not be loaded: neither KiteHarbour.exe nor a library that it loads imports undertow.dll.",
    ),
    about(
        "entry-taken",
        "Another component already has the name that the file would get.",
        "The other component would be replaced.",
        Remedy::by(
            "Take the other component out first, or choose another name.",
            Action::ShowEntries { game: GAME },
        ),
        "undertow@2.3.0 would replace bin/winmm.dll, which is glim 1.0, made by Nib.",
    ),
    about(
        "exe-unknown",
        "The build supports certain versions of the game, and nothing states which version the game is.",
        "Whether it works is not known in advance.",
        Remedy::by(
            "Name the file that states the version.",
            Action::NameVersionFile { game: GAME },
        ),
        "brine@2.8.1 supports version 1.0.* of the game, and KiteHarbour.exe does not state its version.",
    ),
    about(
        "exe-unsupported",
        "The game's version is not among those that the build supports: newer than all, older than all, or between them.",
        "The component does not start, or the game crashes.",
        Remedy::by(
            "Use a build that supports this version. If the rack has none, wait for one, wind the game back, or park the component.",
            Action::Park { game: GAME, family: FAMILY },
        ),
        "brine@2.8.1 supports version 1.0.4 - 1.0.8 of the game, but KiteHarbour.exe is 1.0.9, newer than all of these.",
    ),
    about(
        "exports-missing",
        "A library lacks functions that the game imports from it. It is only a note if nothing in the game imports the missing functions.",
        "Windows refuses to start the game, since an entry point is missing; or a feature fails later.",
        Remedy::text(
            "Use another build of the family. Where Windows itself lacks it, update Windows.",
        ),
        "System/brine.dll lacks a function that KiteHarbour.exe imports from brine.dll: brine_open_pad; the game does not start.",
    ),
    without_way_on(
        "family-absent",
        "The game has no file of the build's family.",
        "The game would not load it.",
        Remedy::text(
            "Choose a build of a family that the game has. An extender or a loader is added where its layout says.",
        ),
        "Kite Harbour has no sharpwater: no file in its folder is a version of it.",
    ),
    about(
        "file-read-only",
        "A file of the change is marked read-only, or no new files can be written into its folder.",
        "A marked file is replaced and keeps its mark; a folder that cannot be written to stops the change.",
        Remedy::text("Allow writing to the folder."),
        "bin/undertow.ini is marked read-only.",
    ),
    about(
        "first-install",
        "The game has no component of this family yet, and its imports show the right place.",
        "It is put there; going back takes it out again.",
        Remedy::by("To use another name, give it.", Action::UnderName),
        "undertow@2.3.0 is new here and is fitted as bin/winmm.dll: SaltglassDrift.exe loads winmm.dll, and undertow.dll exports everything it requests.",
    ),
    without_way_on(
        "fitted-in-the-way",
        "The release has its own files where you fitted components.",
        "Only you can know whether they shall stay: the plan is not carried out until you say so.",
        Remedy::by("Choose which files to keep.", Action::KeepFitted),
        "You fitted lens at bin/lens.dll, and the release has its own files there.",
    ),
    about(
        "functions-unknown",
        "A library imports functions from Windows that the present one does not import, and it is unclear whether Windows has them.",
        "The game starts, unless this Windows lacks them.",
        Remedy::text("Start the game to see. If it does not start, go back."),
        "System/brine.dll asks Windows' own winsqlite3.dll for a function, and whether every Windows offers that is not known: sqlite3_open.",
    ),
    about(
        "game-running",
        "A process has the executable or a file of the change open.",
        "The change would fail half-way on Windows, or the running game would see a mix of old and new files.",
        Remedy::text("Close the game, and its launcher if necessary."),
        "D:/Games/Kite Harbour/System/KiteHarbour.exe is in use by KiteHarbour.exe (4711).",
    ),
    about(
        "generation-leap",
        "The version belongs to another generation: the catalog gives the two different names, or the first number grows or shrinks more than tenfold.",
        "It may behave differently from an update.",
        Remedy::by("Read its notes.", Action::ReadNotes { game: GAME, build: BUILD }),
        "sharpwater@2026.3.0 jumps up to another numbering: the present version is 2.7.4.",
    ),
    about(
        "held-by-mark",
        "A launcher is kept from updating a game by a read-only mark on its record of the game.",
        "On this system a launcher that puts a new file in the place of the old one gets around the mark.",
        Remedy::text("Look at drift after the launcher has run: it says when the hold was lifted."),
        "kite-harbour.berth is held by a read-only mark: a launcher that replaces the whole file gets around it on this system.",
    ),
    about(
        "identity-differs",
        "The company, product or internal name of the new file differs from the present one.",
        "It may be another component with the same file name.",
        Remedy::by("Compare them.", Action::Compare),
        "lens@2.0 may be something else than bin/lens.dll: product was \"Lens\" and is \"Lens Lite\".",
    ),
    about(
        "image-damaged",
        "A file with the name of a library or a program is cut short, empty, or something else.",
        "Windows cannot load it. The game does not start if its program, or what that loads at the start, is so.",
        Remedy::text(
            "Restore the file, download it again, or let the launcher verify the game's files.",
        ),
        "KiteHarbour.exe needs System/brine.dll, and Windows cannot load that, since it is empty (0 bytes): the game does not start.",
    ),
    about(
        "keyed-elsewhere",
        "A part of an extender is made for one version of the executable, named in its file name or description, and the game has another.",
        "The extender refuses to start, or the game crashes.",
        Remedy::text("Use the build for this version; the remedy says whether one is on the rack."),
        "lampwright@31.6.0+x86 is made for version 22.4.9 of the game (lampwright-22.4.9.dll says so), but MossMeridian.exe is version 22.4.7.",
    ),
    about(
        "left-alone",
        "A layout names a file to remove, and nothing shows that it belongs to the same component.",
        "It stays.",
        Remedy::text("Remove it yourself if you do not need it."),
        "System/theirs.dll was left alone: the layout of glim@2.0.0 names it for removal, but nothing shows that it came with an earlier build.",
    ),
    about(
        "left-behind",
        "Libraries by the maker of the build are in the game that no recorded change put there and that the build \
         does not have: an older one of the product, or one of its own names in another folder.",
        "They may be loaded beside the new ones. They stay unless you say otherwise.",
        Remedy::by("To remove them in the same change, name it.", Action::Clear),
        "An earlier manual installation seems to have left bin/undertow_core.dll 1.9.0: by the maker of undertow@2.3.0, but not part of the build.",
    ),
    about(
        "machine-differs",
        "The executable of the release is for another machine than the one that the game has.",
        "Libraries that stay in the game would not load.",
        Remedy::text("Give the release for the machine that the game is for."),
        "kite.exe of the release is 32-bit x86, and the game's is 64-bit x86: libraries that stay would not load.",
    ),
    about(
        "machine-mismatch",
        "The library is for another machine (32-bit, 64-bit, ARM) than the program that would load it. A .NET library runs on any, unless it asks for 32 bits.",
        "It does not load; the game does not start, or starts without it.",
        Remedy::text("Use the build for that machine."),
        "sharpwater@2026.3.0+x86 is 32-bit, but the game's TinLighthouse.exe is 64-bit: it would not load.",
    ),
    about(
        "mixed-builds",
        "A library is that of one build on the rack, and a file that comes with it that of another.",
        "Scripts and data of one version do not work with a library of another: it may not start, or may fail later.",
        Remedy::by("Complete the update.", Action::Fit { game: GAME, build: BUILD }),
        "lampwright-22.4.7.dll is of lampwright@31.4.0+x86, and Data/rules/lamp-core.rule of lampwright@31.1.0+x86: an update was done by half.",
    ),
    without_way_on(
        "needs-administrator",
        "A plan sets a registry value that needs an administrator's rights.",
        "Windows would refuse it.",
        Remedy::by(
            "Write the values to a file, and let an administrator import it.",
            Action::WriteRegFile,
        ),
        r"HKEY_CURRENT_USER\Software\Policies\Glim: Debug can be set by an administrator alone.",
    ),
    about(
        "needs-runtime",
        "A program or library of the game imports a library that is neither in the folders that Windows searches nor part of Windows.",
        "It does not load without it. A game whose program, or what that loads at the start, lacks one does not start.",
        Remedy::text(
            "Put the missing library beside the program, use a build that brings it, or have the launcher check the game's files.",
        ),
        "System/glim.dll needs glim_core.dll, which is neither beside KiteHarbour.exe nor part of Windows: it does not load.",
    ),
    about(
        "newer-content",
        "Files that the release does not have are where the game may load any file: several of their kind are in the same folder, or they are libraries beside the executable.",
        "An older executable may load content that it does not know, and crash.",
        Remedy::by(
            "If the older game must not see them, have them moved aside; undo brings them back.",
            Action::SetAside { pattern: PATTERN },
        ),
        "data/isles.pak is not of this release, and the game may load it all the same.",
    ),
    without_way_on(
        "no-registry",
        "A plan sets a registry value, but this is not Windows and the game has no known prefix.",
        "The game would not see the value.",
        Remedy::by(
            "Write the values to a file, or name the prefix in which the game runs.",
            Action::NamePrefixOrWrite { game: GAME },
        ),
        "`debug` is a registry value, but this is not Windows and Saltglass Drift has no known prefix.",
    ),
    about(
        "no-space",
        "A volume has less room than the change needs, for the new files or for keeping the old ones.",
        "The change would fail half-way and be put back.",
        Remedy::by("Make room, or keep the home folder on another volume.", Action::ChangeHome),
        "The change needs 96.0 MB on the volume of D:/Games/Kite Harbour, which has 12.4 MB left.",
    ),
    about(
        "older-goes",
        "An older one of the same product, or of the same maker for the same end, gets into the game under \
         another name.",
        "Both would be loaded, which crashes many games: the older one is taken out in the same change, and kept.",
        Remedy::by("To leave it beside the new one, say so.", Action::Beside),
        "bin/dinput8.dll goes, which is undertow 1.9.0: both would get into the game, and undertow@2.3.0 is by the same maker.",
    ),
    about(
        "older-than-shipped",
        "The build is older than the shipped version.",
        "Features that the game relies on may be missing.",
        Remedy::text("Nothing, if you meant to go to an older version."),
        "sharpwater@2.5.0 is older than version 2.7.4, which Tin Lighthouse shipped.",
    ),
    about(
        "online-risk",
        "The game is marked as played online, or has an anti-cheat among its programs.",
        "Foreign files can get an account banned.",
        Remedy::by(
            "Ask the game's community. If the game is not played online, record that.",
            Action::KeepOffline { game: GAME },
        ),
        "Saltglass Drift has an anti-cheat (GuardRail/GuardRail_Setup.exe): foreign files in it can get an account banned.",
    ),
    about(
        "other-volume",
        "The home folder, where replaced files are kept, is on another volume than the game.",
        "Files are copied across instead of shared, which takes longer.",
        Remedy::text("None needed."),
        "D:/Games/Kite Harbour and the home folder C:/Users/me/home are on different volumes: 40.2 MB are copied across to be kept.",
    ),
    about(
        "pinned",
        "You pinned the family to a version in this game, and the build has a different one.",
        "The change is refused, so that nothing is updated by accident.",
        Remedy::by(
            "When the reason no longer applies, remove the pin.",
            Action::Unpin { game: GAME, family: FAMILY },
        ),
        "brine is pinned to 2.0.3 in Kite Harbour (\"newer ones lose the pad\"), and this is brine@2.8.1.",
    ),
    without_way_on(
        "prefix-in-use",
        "A program of the game's prefix is running, and holds the registry in its memory.",
        "It would overwrite the values in the file with its own registry.",
        Remedy::by(
            "Close the game and what else runs in that prefix; or name the program that starts Windows programs in it.",
            Action::NameRunWith { game: GAME },
        ),
        "The prefix /home/ada/prefixes/drift is in use by another program (process 812).",
    ),
    about(
        "registry-left",
        "A build includes a `.reg` file, and its values are set only if you or the layout ask for it.",
        "The build may lack some of its functions.",
        Remedy::by("To set it too", Action::SetRegistry),
        r"glim@2.0.0 brings enable.reg, which would set in the registry: HKEY_CURRENT_USER\Software\Glim: Debug: not set → 1. That is left.",
    ),
    about(
        "release-incomplete",
        "The release given to `wind` is incomplete: a download was interrupted, files are empty or cut off, or a program is still writing into them.",
        "The game would not start, or would miss content.",
        Remedy::text("Let the download come to its end, or get the release again."),
        "kite.exe of the release is not whole: it is cut short: section .text should reach byte 4096, and the file has 1024.",
    ),
    about(
        "requires",
        "A catalog says that the build needs another family, or that something in the game needs another version of this one.",
        "One of them does not start.",
        Remedy::text("Fit the other one first, or choose a build that works with both."),
        "meadow-tweaks@0.9.4+x86 needs lampwright >=31.4.0, and Moss & Meridian has lampwright 31.1.0.",
    ),
    about(
        "same-version-other-bytes",
        "The present file states the version of the build, but its content differs.",
        "One of them is a repack, another variant, or altered.",
        Remedy::by("Compare them.", Action::Compare),
        "System/brine.dll states version 2.8.1 already, but its content is not that of brine@2.8.1.",
    ),
    about(
        "saves-kept",
        "The game's saves are copied into the store together with a change that may make them unreadable.",
        "They can be had back as they were then.",
        Remedy::by(
            "None needed. To have them back later, go back to that change.",
            Action::RollBackSaves { game: GAME, change: 12 },
        ),
        "8 files of saves in C:/Users/kit/Documents/Kite Harbour/saves are kept with the change.",
    ),
    about(
        "saves-unknown",
        "A wind puts another release into the game's folder, and the game's saves were not found.",
        "An older release may ruin saves that a newer one wrote.",
        Remedy::by(
            "Give their folder, to store them with the change.",
            Action::NameBay { game: GAME, bay: SAVES },
        ),
        "The game's saves were not found: an older release may damage saves of a newer one.",
    ),
    about(
        "settings-kept",
        "A settings file that came with a build was edited since, by you or by a program.",
        "A rollback leaves it as it is: your settings are yours.",
        Remedy::by(
            "Nothing, if you want to keep your settings. To put them back too, say so.",
            Action::PutSettingsBack { game: GAME },
        ),
        "bin/undertow.ini was edited since, and stays as it is.",
    ),
    about(
        "settings-unmerged",
        "Your settings file and the one from the build cannot be merged: one of them is too long, or is not a text of keys and values.",
        "Yours stays as it is. The build may lack a setting that is new.",
        Remedy::text(
            "Compare it with the file in the download, and copy the keys you need by hand.",
        ),
        "bin/undertow.ini stays as it is: it or the build's own is longer than 2.0 MB.",
    ),
    about(
        "signature-broken",
        "The library has a signature, but its content differs from the signed one.",
        "It was altered, on purpose or by accident.",
        Remedy::text("Get it again from its source."),
        "lens@3.1.0 was altered after it was signed: its content does not match the signature, which names Corvid Optics.",
    ),
    about(
        "signer-changed",
        "The new file has a different signer.",
        "It may come from another source.",
        Remedy::by("Look at it.", Action::Inspect),
        "bin/lens.dll names Corvid Optics as its signer, and lens@3.2.0 is signed by Nib.",
    ),
    without_way_on(
        "slot-ambiguous",
        "The build could replace files with several names.",
        "The target is ambiguous.",
        Remedy::by("Name one of them.", Action::FitUnderName { game: GAME, build: BUILD }),
        "undertow@2.3.0 could replace files under 2 names here: dinput8.dll, winmm.dll.",
    ),
    about(
        "starts-programs",
        "A plan sets a registry value through which the system starts programs: at logon, for a kind of file, or in place of another program.",
        "The named program would run without your asking.",
        Remedy::text("Make sure that you trust its source."),
        r"HKEY_CURRENT_USER\Software\Microsoft\Windows\CurrentVersion\Run: Glim is one by which the system starts programs.",
    ),
    about(
        "ties-unsolvable",
        "The requirements and conflicts of the builds on the rack leave no combination for this game.",
        "No build of the family can be put in without breaking another component.",
        Remedy::text("Add the missing build to the rack, or park the component that prevents it."),
        "No build of lampwright works with what Moss & Meridian has: meadow-tweaks needs lampwright >=2.4.",
    ),
    about(
        "undo-file",
        "An older build was installed by hand, its registry values are still set, and a file of the build removes them.",
        "Entries of the older build stay in the registry.",
        Remedy::by("To do that in the same change", Action::UndoOld),
        r"An older one was installed by hand, and undo.reg of glim@1.0.0 should be run: it takes back what that has set in the registry: HKEY_CURRENT_USER\Software\Glim: Hook: 1 → not set.",
    ),
    about(
        "unexpected-version",
        "The executable of the release is not of the version that you expect.",
        "The mods that you wind the game back for are for another version.",
        Remedy::by(
            "Get the right release, or expect this one.",
            Action::Expect { version: VERSION },
        ),
        "kite.exe of the release is 3.2.0, and you expect 3.1.4.",
    ),
    about(
        "unsigned-now",
        "The present file is signed, and the new one is not.",
        "It may not come from the vendor.",
        Remedy::text("Make sure that you trust its source."),
        "bin/lens.dll is signed by Corvid Optics, and lens@3.2.0 is not signed.",
    ),
    about(
        "variant-missing",
        "A file of the family is for another machine, and the rack has no variant of the build for that.",
        "It stays as it is, while the others are replaced.",
        Remedy::by("Add the package that has the variant, then fit again.", Action::AddToRack),
        "plugins/x86/lens.dll is 32-bit, and lens@3.1.0 has no 32-bit variant on the rack: it stays as it is.",
    ),
    about(
        "version-passed-over",
        "A newer build of the family is on the rack, and a finding stops it in this game.",
        "An older one was chosen.",
        Remedy::by(
            "Nothing; the sentence has the reason. You can check it separately.",
            Action::Check { game: GAME, build: BUILD },
        ),
        "A newer build was passed over: lampwright@31.6.0+x86 is made for version 22.4.9 of the game (lampwright-22.4.9.dll says so), but MossMeridian.exe is version 22.4.7.",
    ),
    about(
        "withdrawn",
        "Who publishes the build has taken it back, says a feed.",
        "It has a fault that its maker knows of.",
        Remedy::text("Use the build that is named, or another."),
        "lens@3.1.0 was withdrawn by its publisher, says the feed lantern (as of 2026-03-09): it flickers on some machines.",
    ),
];

/// The description of a code.
pub fn explain(code: &str) -> Option<&'static About> {
    ABOUT.iter().find(|about| about.code.eq_ignore_ascii_case(code))
}
