# Tells whether bytecode is what its source compiles to. Runs on every Python from 2.7
# on, without the site module. Each line that comes in names a source, the bytecode
# beside it, and how far that was optimised; each line that goes out says what came of
# it. No code of either is run. The bytes may differ, as the interpreter's memory did.


def code(place, info, size):
    """The marshalled code, or nothing where the interpreter would not take it."""
    with open(place, "rb") as f:
        data = f.read()
    if data[:4] != magic:
        return None
    begin = 16 if now >= (3, 7) else 12 if now >= (3, 3) else 8
    flags = struct.unpack("<I", data[4:8])[0] if now >= (3, 7) else 0
    if flags == 0:
        when = data[begin - 8:begin - 4] if now >= (3, 3) else data[4:8]
        if when != struct.pack("<I", int(info.st_mtime) & 0xFFFFFFFF):
            return None
        if now >= (3, 3) and data[begin - 4:begin] != struct.pack("<I", size & 0xFFFFFFFF):
            return None
    return data[begin:]


def work(source, place, level):
    with open(source, "rb") as f:
        info = os.fstat(f.fileno())
        data = f.read()
    have = code(place, info, len(data))
    if have is None:
        return "unused"
    try:
        return "same" if marshal.loads(have) == compiled(data, int(level)) else "other"
    except (KeyboardInterrupt, IOError):
        raise
    except Exception:
        return "other"


answer_lines(work)
