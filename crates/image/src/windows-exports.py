#!/usr/bin/env python3
"""Makes windows-exports.txt: what each library of Windows offers.

    pip download --no-deps ziglang && unzip ziglang-*.whl 'ziglang/lib/libc/mingw/*'
    python3 windows-exports.py ziglang/lib/libc/mingw > windows-exports.txt

Source: the import-library definitions of MinGW-w64 (public domain), as that wheel carries them. Needs `cpp`.
"""
import pathlib
import re
import subprocess
import sys

# Contracts whose functions are those of the libraries behind them, and runtimes that come in editions of
# their own: of these nothing is claimed.
NOT_WINDOWS = re.compile(r"^(api-ms-|ext-ms-|msvcp|msvcr\d|msvci|msvcm|vcruntime|vcomp|vccorlib|concrt|mfc|atl\d|"
                         r"ucrtbased|d3dx|d3dcompiler_|x3daudio|xaudio2_[0-7]|xactengine|xapofx|crtdll|.*_windowsapp$|"
                         r".*_app$|.*-common|ntoskrnl|hal$|libmsvcrt|windowsapp)")
# Of services and of mail: no game asks for them. Nothing is claimed of them either.
LEFT_OUT = {"wsmsvc.dll", "mapi32.dll", "mapistub.dll", "diagnosticdataquery.dll"}
# What a library offers to Windows' own services alone.
INTERNAL = ("Util_", "SslDuplicate")
DEFINED = [["-D__i386__"], ["-D__x86_64__"], ["-D__aarch64__"]]


def preprocessed(path, mingw, machine):
    command = ["cpp", "-P", "-undef", "-w", f"-I{mingw / 'def-include'}", "-x", "assembler-with-cpp", *machine, str(path)]
    return subprocess.run(command, capture_output=True, text=True, check=False).stdout


def texts(path, mingw):
    if path.suffix == ".in":
        return [preprocessed(path, mingw, machine) for machine in DEFINED]
    return [path.read_text(errors="replace")]


def undecorated(name):
    if name.startswith("?"):
        return name
    return re.sub(r"@\d+$", "", name.lstrip("@") if re.match(r"@\w+@\d+$", name) else name)


def offered(text):
    for line in text.splitlines():
        line = line.split(";")[0].strip()
        if not line or re.match(r"(LIBRARY|EXPORTS|NAME|DESCRIPTION|#)", line):
            continue
        if "NONAME" in line:
            continue
        first, _, alias = line.partition("==")
        for part in (first, alias):
            word = part.split("=")[0].split()
            if word:
                yield undecorated(word[0].strip('"'))


def main():
    mingw = pathlib.Path(sys.argv[1])
    # What no current Windows has any more is there for 32 bits alone, unless games still ask for it.
    current = {path.name.split(".def")[0].lower() for path in (mingw / "lib-common").glob("*.def*")}
    for listed in ("windows-libraries.txt", "windows-more.txt"):
        current |= set(pathlib.Path(__file__).with_name(listed).read_text().split())
    libraries = {}
    for folder in ("lib-common", "lib32", "lib64"):
        for path in sorted((mingw / folder).glob("*.def*")):
            name = path.name.split(".def")[0].lower()
            if name not in current:
                continue
            for text in texts(path, mingw):
                stated = re.search(r'^\s*LIBRARY\s+"?([^"\s]+)', text, re.MULTILINE)
                real = stated.group(1).lower() if stated else name + ".dll"
                real = real if "." in real else real + ".dll"
                if real.endswith((".dll", ".drv", ".ocx")) and real not in LEFT_OUT and not NOT_WINDOWS.match(real) and not NOT_WINDOWS.match(name):
                    libraries.setdefault(real, set()).update(offered(text))
    print("# What each library of Windows offers: its name, then the names of its functions, sorted by their")
    print("# bytes. Of all machines together; what it offers by ordinal alone is not in it. Made by windows-exports.py, which says how and from what.")
    for name, functions in sorted(libraries.items()):
        functions = sorted((f for f in functions if f and not f.startswith(INTERNAL)), key=lambda f: f.encode())
        if functions:
            print(name, *functions)


main()
