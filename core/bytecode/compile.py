# Compiles modules of the store for this interpreter. Runs on every Python from
# 2.7 on, without the site module. Each line that comes in names a source by its
# place, the bytecode's place, and the file to write first; each line that goes
# out says what came of it. No code of the modules is run.


def header(info, size):
    # PEP 552 from 3.7 on, PEP 3147's successor from 3.3 on.
    when = int(info.st_mtime) & 0xFFFFFFFF
    if now >= (3, 7):
        return magic + struct.pack("<III", 0, when, size & 0xFFFFFFFF)
    if now >= (3, 3):
        return magic + struct.pack("<II", when, size & 0xFFFFFFFF)
    return magic + struct.pack("<I", when)


def work(source, place, temp):
    with open(source, "rb") as f:
        info = os.fstat(f.fileno())
        data = f.read()
    try:
        code = marshal.dumps(compiled(data, 0))
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
    getattr(os, "replace", os.rename)(temp, place)
    return "done"


answer_lines(work)
