# What both scripts of this folder begin with. Runs on every Python from 2.7 on, without
# the site module.
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
now = sys.version_info


def compiled(data, level):
    if now[0] == 2:
        return compile(data, "module", "exec", 0, 1)
    return compile(data, "module", "exec", dont_inherit=True, optimize=level)


def answer_lines(work):
    """Answers each line that comes in, whose words are between tabs."""
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
