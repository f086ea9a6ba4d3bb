# Imports a module as a program in this folder would, and writes what came of it
# into a file, as JSON. Runs on every Python from 2.7 on. What the import prints
# goes where it goes.
import json
import os
import sys

into, module = sys.argv[1], sys.argv[2]
sys.argv = ["-c"]
out = {"ok": False, "file": None, "error": None, "message": "", "missing": None, "at": None,
       "path": sys.path, "builtin": list(sys.builtin_module_names), "stdlib": list(getattr(sys, "stdlib_module_names", ())),
       "version": "%d.%d" % sys.version_info[:2]}


def where(found):
    file = getattr(found, "__file__", None)
    if file:
        return file
    try:
        return list(found.__path__)[0] + os.sep
    except Exception:
        return None


try:
    __import__(module)
    out["ok"], out["file"] = True, where(sys.modules[module])
except BaseException as e:
    out["error"], out["message"] = type(e).__name__, str(e)
    if str(e).startswith("No module named "):
        out["missing"] = getattr(e, "name", None) or str(e)[len("No module named "):].strip("'\"")
    trace = sys.exc_info()[2]
    while trace is not None:
        file = trace.tb_frame.f_code.co_filename
        if not file.startswith("<") and os.path.basename(file) != "trial.py":
            out["at"] = "%s, line %d" % (file, trace.tb_lineno)
        trace = trace.tb_next
    top = sys.modules.get(module.split(".")[0])
    if top is not None:
        out["file"] = where(top)
if not out["ok"] and out["file"] is None:
    # Where would it be, whether or not it can be loaded?
    try:
        import importlib.util
        spec = importlib.util.find_spec(module.split(".")[0])
        if spec is not None:
            out["file"] = spec.origin or list(spec.submodule_search_locations)[0]
    except Exception:
        pass
with open(into, "w") as f:
    json.dump(out, f)
