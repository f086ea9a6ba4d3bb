# Compiles modules of the store for this interpreter. Runs on every Python from
# 2.7 on, without the site module. Each line that comes in names a source by its
# place, the bytecode's place, and the file to write first; each line that goes
# out says what came of it. No code of the modules is run.
import marshal
import os
import struct
import sys

try:
    from _frozen_importlib_external import MAGIC_NUMBER as magic
except ImportError:
    import imp
    magic = imp.get_magic()

come = getattr(sys.stdin, "buffer", sys.stdin)
go = sys.stdout


def compiled(data):
    if sys.version_info[0] == 2:
        return compile(data, "module", "exec", 0, 1)
    return compile(data, "module", "exec", dont_inherit=True, optimize=0)


def header(info, size):
    # PEP 552 from 3.7 on, PEP 3147's successor from 3.3 on.
    when = int(info.st_mtime) & 0xFFFFFFFF
    if sys.version_info >= (3, 7):
        return magic + struct.pack("<III", 0, when, size & 0xFFFFFFFF)
    if sys.version_info >= (3, 3):
        return magic + struct.pack("<II", when, size & 0xFFFFFFFF)
    return magic + struct.pack("<I", when)


def work(source, place, temp):
    with open(source, "rb") as f:
        info = os.fstat(f.fileno())
        data = f.read()
    try:
        code = marshal.dumps(compiled(data))
    except (KeyboardInterrupt, IOError):
        raise
    except Exception:  # whatever is wrong with a module is told by importing it
        return "none"
    with open(temp, "wb") as f:
        f.write(header(info, len(data)) + code)
        # A power cut must not leave half of it: Python would fail at it.
        f.flush()
        os.fsync(f.fileno())
    os.utime(temp, (info.st_mtime, info.st_mtime))
    os.chmod(temp, 0o444)
    folder = os.path.dirname(place)
    if not os.path.isdir(folder):
        try:
            os.makedirs(folder, 0o755)
        except OSError:  # another was faster
            pass
    os.rename(temp, place)
    return "done"


while True:
    line = come.readline()
    if not line:
        break
    try:
        said = work(*line.rstrip(b"\n").split(b"\t"))
    except (IOError, OSError) as e:
        said = "lost %s" % (e.errno,)
    go.write(said + "\n")
    go.flush()
