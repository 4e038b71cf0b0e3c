"""Build a Debian package that holds all it needs but the system's libraries. Run: make deb

A Python of its own with the packages of requirements.lock stands under /opt/vettore, only with the parts that are used; the
menu's entry, icon, file type, thumbnails, man page and completions are placed for all users. Needs dpkg-dev and patchelf.
"""

from __future__ import annotations

import ast
import gzip
import importlib.util
import marshal
import os
import re
import shutil
import subprocess
import sys
import sysconfig
from email.utils import formatdate
from pathlib import Path

import vettore

ROOT = Path(__file__).parents[1]
BUILD = ROOT / "build" / "deb"
HOME = Path("opt/vettore")
# Of the standard library nothing is left out but its tests and what makes programs and windows otherwise.
NOT_OF_PYTHON = (
    "test",
    "_tkinter*",
    "_test*",
    "idlelib",
    "tkinter",
    "turtledemo",
    "lib2to3",
    "ensurepip",
    "distutils",
    "pydoc_data",
    "turtle.py",
    "site-packages",
    "dist-packages",
)
# Tools and parts that no page, command or format uses; tests, headers and typings of others.
UNUSED_SCIPY = (
    "optimize stats signal ndimage io cluster fft integrate interpolate odr datasets differentiate misc fftpack"
)
NOT_NEEDED = (
    *("pip", "setuptools", "wheel", "pkg_resources", "_distutils_hack"),
    *(f"scipy/{part}" for part in UNUSED_SCIPY.split()),
    # The system has time zones; smaller typefaces are written where that is asked for, which nobody does.
    *("tzdata", "zopfli", "*.dist-info/RECORD", "*.dist-info/sboms", "lxml/html/_difflib.*"),
    # A language for the checking of XML, and XML as objects.
    *("lxml/isoschematron", "lxml/objectify.*"),
    # Typefaces of others, all but the one that is looked for when a file is not there; pictures in formats nobody brings.
    *("matplotlib/mpl-data/fonts/afm", "matplotlib/mpl-data/fonts/pdfcorefonts"),
    *("matplotlib/mpl-data/fonts/ttf/[!DL]*.ttf", "matplotlib/mpl-data/fonts/ttf/DejaVuS*[-MD]*.ttf"),
    *(
        "PIL/_avif.*",
        "PIL/_webp.*",
        "PIL/_imagingft.*",
        "matplotlib/mpl-data/images",
        "pyqtgraph/icons/peegee",
        "pyqtgraph/flowchart/library",
    ),
    # How other languages are hyphenated.
    "pyphen/dictionaries/hyph_[!e]*",
    # What only tests and makers of modules use.
    *("numpy/distutils", "numpy/_core/_simd.*", "scipy/special/cython_special.*", "scipy/_lib/highs"),
    *("fontTools/ufoLib", "fontTools/voltLib", "fontTools/mtiLib", "fontTools/qu2cu", "fontTools/pens/momentsPen.*"),
    *("matplotlib/mpl-data/sample_data", "matplotlib/backends/web_backend", "pyqtgraph/examples", "pyqtgraph/opengl"),
)
ANYWHERE = re.compile(
    r"(^|/)(tests?|testing_data|include|__pycache__|examples)$|\.(pyi|pxd|pyx|h|hpp|c|cpp|a|lib|typed)$"
)
# Folders of that name that are part of a program and not its tests.
KEPT = re.compile(r"(numpy|pandas|scipy)/(_core/)?(_?testing|tests/__init__)|numpy/_core/include$")
QT_MODULES = ("QtCore", "QtGui", "QtWidgets", "QtSvg", "QtOpenGL", "QtOpenGLWidgets")
QT_PLUGINS = (
    *["platforms", "platformthemes", "platforminputcontexts", "imageformats", "iconengines", "xcbglintegrations"],
    *["wayland-decoration-client", "wayland-graphics-integration-client", "wayland-shell-integration"],
)
# Plugins for screens without a desktop, and formats of pictures nobody brings.
NOT_PLUGINS = re.compile(r"virtualkeyboard|eglfs|linuxfb|vkkhr|vnc|minimalegl|qpdf|qtiff|qwbmp|qtga|qicns|qwebp|gtk3")
MAINTAINER = "The Vettore team <vettore@localhost.localdomain>"
LAUNCHER = """#!/bin/sh
exec /opt/vettore/bin/python{version} -I -m vettore "$@"
"""
CONTROL = """Package: vettore
Version: {version}
Architecture: {architecture}
Maintainer: {maintainer}
Installed-Size: {size}
Depends: {depends}
Section: science
Priority: optional
Description: look at measured data, fit models, report values
 Vettore brings in measured data series, shows them, fits linear, polynomial
 and nonlinear models by least squares, interpolates and integrates, and
 reports values with their uncertainties beside plots of data and curves.
"""
# Packages whose modules keep what they say of themselves: the program's own, one whose grammar stands there, one that insists.
WITH_WORDS = ("vettore", "pycparser", "numpy")
# The system's libraries that nothing else on a machine that builds may need.
FOR_BUILDING = ("libwayland-cursor.so.0", "libwayland-egl.so.1", "libxkbcommon.so.0")
# What is unusual of this package is meant: one folder that holds a whole program.
OVERRIDES = (
    "dir-or-file-in-opt",
    "embedded-library",
    "unstripped-binary-or-object",
    "custom-library-search-path",
    "shared-library-lacks-prerequisites",
    "library-not-linked-against-libc",
    "no-copyright-file",
    "package-installs-python-bytecode",
    # Packages of others carry scripts that are never run as such.
    "interpreter-in-usr-local",
    "bogus-mail-host",
    "bogus-mail-host-in-debian-changelog",
)


def main() -> None:
    """Build the package and say where it is and how large."""
    for tool in ("dpkg-deb", "dpkg-shlibdeps", "patchelf", "strip"):
        if shutil.which(tool) is None:
            sys.exit(f"{tool} is missing; apt-get install dpkg-dev binutils patchelf brings what a package needs.")
    known = subprocess.run(["/sbin/ldconfig", "-p"], capture_output=True, text=True, check=True).stdout
    missing = [name for name in FOR_BUILDING if name not in known]
    if missing:
        sys.exit(
            f"{', '.join(missing)} is missing; apt-get install libwayland-cursor0 libwayland-egl1 libxkbcommon0."
        )
    shutil.rmtree(BUILD, ignore_errors=True)
    tree = BUILD / "tree"
    packages = copy_python(tree)
    install_packages(packages)
    prune(packages)
    prune_qt(packages / "PySide6")
    prune_libraries(packages)
    finish(tree)
    place_for_all(tree)
    write_control(tree)
    name = f"vettore_{vettore.__version__}_{architecture()}.deb"
    made = ROOT / "build" / name
    subprocess.run(["dpkg-deb", "--root-owner-group", "-Zxz", "--build", str(tree), str(made)], check=True)
    print(f"{made}: {made.stat().st_size / 1e6:.0f} MB, installed {size_of(tree) / 1e6:.0f} MB")


def copy_python(tree: Path) -> Path:
    """Copy this Python, so that it runs from where it is put; return the folder of its packages."""
    version = f"{sys.version_info.major}.{sys.version_info.minor}"
    home = tree / HOME
    library = home / "lib" / f"python{version}"
    ignored = shutil.ignore_patterns(*NOT_OF_PYTHON, "__pycache__", "config-*")
    shutil.copytree(sysconfig.get_path("stdlib"), library, ignore=ignored, symlinks=False)
    program = home / "bin" / f"python{version}"
    program.parent.mkdir(parents=True)
    shutil.copy2(Path(sys.executable).resolve(), program)
    shared = sysconfig.get_config_var("INSTSONAME") or ""
    own = Path(sysconfig.get_config_var("LIBDIR") or "/nowhere") / shared
    if ".so" in shared and own.exists():
        shutil.copy2(own, home / "lib" / shared)
    subprocess.run(["patchelf", "--set-rpath", "$ORIGIN/../lib", str(program)], check=True)
    packages = library / "site-packages"
    packages.mkdir()
    return packages


def install_packages(packages: Path) -> None:
    """Install the program and what it needs in the versions of the lock."""
    asked = ["-c", str(ROOT / "requirements.lock"), "--target", str(packages), str(ROOT)]
    pip = [sys.executable, "-m", "pip", "install", "--quiet", "--disable-pip-version-check", "--no-compile"]
    subprocess.run([*pip, *asked], check=True)
    shutil.rmtree(packages / "bin", ignore_errors=True)


def prune(packages: Path) -> None:
    """Take out what nothing uses."""
    for name in NOT_NEEDED:
        for path in [*packages.glob(name), *packages.glob(f"{name}-*.dist-info")]:
            shutil.rmtree(path) if path.is_dir() else path.unlink()
    for path in sorted(packages.rglob("*"), key=lambda path: len(path.parts)):
        told = path.relative_to(packages).as_posix()
        if not path.exists() or KEPT.search(told) or not ANYWHERE.search(told):
            continue
        shutil.rmtree(path) if path.is_dir() else path.unlink()


def prune_qt(pyside: Path) -> None:
    """Keep the modules and plugins of Qt that are used, and the libraries that these need."""
    qt = pyside / "Qt"
    for part in qt.iterdir():
        if part.name not in ("lib", "plugins"):
            shutil.rmtree(part)
    for kind in (qt / "plugins").iterdir():
        if kind.name not in QT_PLUGINS:
            shutil.rmtree(kind)
    for plugin in [*(qt / "plugins").rglob("*.so")]:
        if NOT_PLUGINS.search(plugin.name):
            plugin.unlink()
    for path in [*pyside.iterdir()]:
        if path.is_dir() and path.name not in ("Qt", "support"):
            shutil.rmtree(path)
        elif path.is_file() and (_is_unused_module(path) or _is_program(path)):
            path.unlink()
    for path in pyside.glob("libpyside6qml*"):
        path.unlink()
    libraries = {path.name: path for path in (qt / "lib").iterdir()}
    roots = [*pyside.glob("*.so*"), *(qt / "plugins").rglob("*.so")]
    needed: set[str] = set()
    while roots:
        for name in needs_of(roots.pop()):
            if name in libraries and name not in needed:
                needed.add(name)
                roots.append(libraries[name])
    for name, path in libraries.items():
        if name not in needed:
            path.unlink()


def prune_libraries(packages: Path) -> None:
    """Of libraries that packages bring along, keep those that one of their modules needs."""
    for folder in packages.glob("*.libs"):
        libraries = {path.name: path for path in folder.iterdir()}
        roots = [path for path in elves(packages) if path.parent != folder]
        needed = {name for root in roots for name in needs_of(root)} & libraries.keys()
        waiting = list(needed)
        while waiting:
            more = set(needs_of(libraries[waiting.pop()])) & libraries.keys() - needed
            needed |= more
            waiting += more
        for name in libraries.keys() - needed:
            libraries[name].unlink()


def _is_unused_module(path: Path) -> bool:
    module = path.name.split(".")[0]
    return module.startswith("Qt") and module not in QT_MODULES


def _is_program(path: Path) -> bool:
    return not path.suffix and not path.name.startswith("lib")


def needs_of(path: Path) -> list[str]:
    """Return the libraries that one needs."""
    told = subprocess.run(["readelf", "-d", str(path)], capture_output=True, text=True, check=False).stdout
    return re.findall(r"\(NEEDED\).*\[(.*)\]", told)


def elves(folder: Path) -> list[Path]:
    """Return the programs and libraries in a folder."""
    found = []
    for path in folder.rglob("*"):
        if path.is_file() and not path.is_symlink():
            with path.open("rb") as file:
                if file.read(4) == b"\x7fELF":
                    found.append(path)
    return found


def finish(tree: Path) -> None:
    """Strip symbols, compile modules, and set who may do what."""
    home = tree / HOME
    for path in elves(home):
        # One whose sections were moved by its own makers could no longer be loaded.
        if ".libs/" in path.as_posix():
            continue
        subprocess.run(["strip", "--strip-unneeded", str(path)], check=False, capture_output=True)
    for path in sorted((home / "lib").rglob("*.py")):
        compile_alone(path, "/" + path.relative_to(tree).as_posix())
    for path in tree.rglob("*"):
        if not path.is_symlink():
            runs = path.is_dir() or (path.parent.name == "bin" and path.parent.parent.name in ("vettore", "usr"))
            path.chmod(0o755 if runs else 0o644)


def compile_alone(path: Path, shown: str) -> None:
    """Put a compiled module in the place of its source: a third of the size, and nobody may write there later.

    What modules of others say of themselves is left out, as the interpreter does with -OO; their assertions stay.
    """
    source = path.read_bytes()
    try:
        tree = ast.parse(source)
    except SyntaxError:
        # Templates and code for other versions, which nothing loads.
        return
    if not any(f"-packages/{name}/" in shown for name in WITH_WORDS):
        for node in ast.walk(tree):
            if isinstance(node, (ast.Module, ast.ClassDef, ast.FunctionDef, ast.AsyncFunctionDef)) and node.body:
                first = node.body[0]
                if (
                    isinstance(first, ast.Expr)
                    and isinstance(first.value, ast.Constant)
                    and isinstance(first.value.value, str)
                ):
                    # Nothing may stand before an import from __future__, and no body but a module's is empty.
                    rest = node.body[1:]
                    node.body = (
                        rest if rest or isinstance(node, ast.Module) else [ast.copy_location(ast.Pass(), first)]
                    )
    code = compile(tree, shown, "exec", dont_inherit=True)
    # Unchecked, with the hash of its source (PEP 552).
    head = importlib.util.MAGIC_NUMBER + (1).to_bytes(4, "little") + importlib.util.source_hash(source)
    path.with_suffix(".pyc").write_bytes(head + marshal.dumps(code))
    path.unlink()


def place_for_all(tree: Path) -> None:
    """Place launcher, menu's entry, file type, man page and completions for all users."""
    version = f"{sys.version_info.major}.{sys.version_info.minor}"
    launcher = tree / "usr" / "bin" / "vettore"
    launcher.parent.mkdir(parents=True)
    launcher.write_text(LAUNCHER.format(version=version))
    launcher.chmod(0o755)
    program = [str(tree / HOME / "bin" / f"python{version}"), "-I", "-B", "-m", "vettore"]
    subprocess.run([*program, "desktop", "add", "--for-all", str(tree)], check=True, stdout=subprocess.DEVNULL)
    page = tree / "usr/share/man/man1/vettore.1"
    _gzip(page)
    told = tree / "usr/share/doc/vettore"
    told.mkdir(parents=True)
    licences = sorted((tree / HOME).rglob("*LICENSE*")) + sorted((tree / HOME).rglob("*OFL*"))
    listed = "\n".join(f" /{path.relative_to(tree)}" for path in licences if path.is_file())
    (told / "copyright").write_text(
        "Copyright 2026 the Vettore team. Vettore is under the MIT licence.\n\n"
        "The parts that it brings along keep their own:\n"
        f"{listed}\n"
    )
    shutil.copy2(ROOT / "CHANGELOG.md", told / "NEWS")
    day = formatdate(int(os.environ.get("SOURCE_DATE_EPOCH", (ROOT / "CHANGELOG.md").stat().st_mtime)))
    (told / "changelog").write_text(
        f"vettore ({vettore.__version__}) unstable; urgency=medium\n\n  * What is new is told in NEWS.gz.\n\n"
        f" -- {os.environ.get('DEBEMAIL', MAINTAINER)}  {day}\n"
    )
    for name in ("NEWS", "changelog"):
        _gzip(told / name)
    overrides = tree / "usr/share/lintian/overrides/vettore"
    overrides.parent.mkdir(parents=True)
    overrides.write_text("".join(f"vettore: {tag}\n" for tag in OVERRIDES))
    for path in (tree / "usr").rglob("*"):
        path.chmod(0o755 if path.is_dir() or path == launcher else 0o644)


def _gzip(path: Path) -> None:
    with gzip.GzipFile(path.with_name(path.name + ".gz"), "wb", 9, mtime=0) as out:
        out.write(path.read_bytes())
    path.unlink()


def write_control(tree: Path) -> None:
    """Write what the package needs and how large it is."""
    control = tree / "DEBIAN" / "control"
    control.parent.mkdir()
    size = size_of(tree) // 1024
    told = CONTROL.format(
        version=vettore.__version__,
        architecture=architecture(),
        size=size,
        depends=", ".join(depends_of(tree)),
        maintainer=os.environ.get("DEBEMAIL", MAINTAINER),
    )
    control.write_text(told)
    sums = [
        subprocess.run(
            ["md5sum", str(path.relative_to(tree))], cwd=tree, capture_output=True, text=True, check=True
        ).stdout
        for path in sorted(tree.rglob("*"))
        if path.is_file() and "DEBIAN" not in path.parts
    ]
    (control.parent / "md5sums").write_text("".join(sums))


def depends_of(tree: Path) -> list[str]:
    """Return the packages of the system's libraries that the tree needs: those it is linked against, and those it loads."""
    work = BUILD / "shlibs"
    (work / "debian").mkdir(parents=True)
    (work / "debian" / "control").write_text("Source: vettore\n\nPackage: vettore\nArchitecture: any\n")
    found = elves(tree / HOME)
    own = {name for path in found for name in (path.name,)}
    places = sorted({str(path.parent) for path in found if ".so" in path.name})
    linked = [path for path in found if any(name not in own for name in needs_of(path))]
    asked = ["dpkg-shlibdeps", "-O", "--ignore-missing-info", *(f"-l{place}" for place in places)]
    asked += [f"-e{path}" for path in linked]
    made = subprocess.run(asked, cwd=work, capture_output=True, text=True, check=False)
    if made.returncode:
        sys.exit(f"dpkg-shlibdeps: {made.stderr[-2000:]}")
    depends = set(made.stdout.strip().removeprefix("shlibs:Depends=").split(", "))
    script = (ROOT / "tools" / "system_libraries.sh").read_text()
    loaded = re.findall(r"^\S+\.so\.\d+ (\S+)$", script, flags=re.MULTILINE)
    known = {one.split()[0] for one in depends}
    return sorted({"tzdata"} | depends | {package for package in loaded if package not in known})


def architecture() -> str:
    """Return what Debian calls this machine's kind."""
    asked = ["dpkg", "--print-architecture"]
    return subprocess.run(asked, capture_output=True, text=True, check=True).stdout.strip()


def size_of(tree: Path) -> int:
    """Return the bytes of all files."""
    return sum(path.stat().st_size for path in tree.rglob("*") if path.is_file() and not path.is_symlink())


if __name__ == "__main__":
    main()
