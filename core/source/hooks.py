"""Calls hooks of a back end (PEP 517, 660), each in a process of its own, and writes down
what they gave. The back end is imported once: a process is a copy of this one where the
system has that. When one hook gives anything, those after it are not called."""
import importlib
import json
import os
import subprocess
import sys
import traceback


def find(request):
    inside = [os.path.realpath(p) for p in request["path"]]
    sys.path[:0] = inside
    module, _, attributes = request["backend"].partition(":")
    backend = importlib.import_module(module)
    origin = os.path.realpath(getattr(backend, "__file__", None) or "")
    if inside and not any(origin.startswith(p + os.sep) for p in inside):
        raise ImportError("%s was not found in backend-path" % module)
    for name in attributes.split(".") if attributes else ():
        backend = getattr(backend, name)
    return backend


def module_of(error):
    return getattr(error, "name", None) or "" if isinstance(error, ImportError) else ""


def call(backend, hook, arguments):
    function = getattr(backend, hook, None)
    if function is None:
        return {"failed": "hook"}
    sys.argv = [hook]
    try:
        return {"result": function(*arguments)}
    except SystemExit as error:
        if not isinstance(error.code, int):
            print(error.code, file=sys.stderr)
        return {"failed": "hook failed", "what": "it ended itself: %s" % error.code}
    except BaseException as error:
        traceback.print_exc()
        return {"failed": "hook failed", "what": "%s: %s" % (type(error).__name__, error), "module": module_of(error)}


def write(file, answer):
    sys.stdout.flush()
    sys.stderr.flush()
    with open(file + ".new", "w") as out:
        json.dump(answer, out)
    os.replace(file + ".new", file)


def read(file):
    try:
        with open(file) as answer:
            return json.load(answer)
    except (OSError, ValueError):
        return {"failed": "ended"}


def main():
    request_file, answer_file = sys.argv[1:3]
    only = int(sys.argv[3]) if len(sys.argv) > 3 else None
    with open(request_file) as file:
        request = json.load(file)
    # The source itself is not imported from, unless it says so (PEP 517).
    here = os.path.dirname(os.path.realpath(__file__))
    sys.path[:] = [p for p in sys.path if p and os.path.realpath(p) != here]
    try:
        backend = find(request)
    except (ImportError, AttributeError) as error:
        traceback.print_exc()
        write(answer_file + ".0", {"failed": "backend", "what": str(error), "module": module_of(error)})
        return
    except BaseException as error:
        traceback.print_exc()
        write(answer_file + ".0", {"failed": "hook failed", "what": "%s: %s" % (type(error).__name__, error)})
        return
    for number, (hook, arguments) in enumerate(request["calls"]):
        file = "%s.%d" % (answer_file, number)
        if only is not None and only != number:
            continue
        last = number == len(request["calls"]) - 1
        if only is not None or last and hasattr(os, "fork"):
            write(file, call(backend, hook, arguments))
        elif hasattr(os, "fork"):
            sys.stdout.flush()
            sys.stderr.flush()
            child = os.fork()
            if child == 0:
                try:
                    write(file, call(backend, hook, arguments))
                finally:
                    os._exit(0)
            _, status = os.waitpid(child, 0)
            if os.WIFSIGNALED(status):
                sys.exit(128 + os.WTERMSIG(status))
        else:
            subprocess.call([sys.executable, __file__, request_file, answer_file, str(number)])
        if only is None and not last:
            answer = read(file)
            if answer.get("result") or answer.get("failed") not in (None, "hook"):
                return


main()
