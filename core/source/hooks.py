"""Calls one hook of a back end (PEP 517, 660) and writes down what it gave."""
import importlib
import json
import os
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


def call(request):
    try:
        backend = find(request)
    except (ImportError, AttributeError) as error:
        traceback.print_exc()
        return {"failed": "backend", "what": str(error), "module": getattr(error, "name", None) or ""}
    hook = getattr(backend, request["hook"], None)
    if hook is None:
        return {"failed": "hook"}
    try:
        return {"result": hook(*request["arguments"])}
    except SystemExit as error:
        if not isinstance(error.code, int):
            print(error.code, file=sys.stderr)
        return {"failed": "hook failed", "what": "it ended itself: %s" % error.code}
    except BaseException as error:
        traceback.print_exc()
        return {"failed": "hook failed", "what": "%s: %s" % (type(error).__name__, error), "module": getattr(error, "name", None) or "" if isinstance(error, ImportError) else ""}


def main():
    request_file, answer_file = sys.argv[1:3]
    with open(request_file) as file:
        request = json.load(file)
    # The source itself is not imported from, unless it says so (PEP 517).
    sys.path[:] = [p for p in sys.path if p and os.path.realpath(p) != os.path.dirname(os.path.realpath(__file__))]
    sys.argv = [request["hook"]]
    answer = call(request)
    sys.stdout.flush()
    with open(answer_file + ".new", "w") as file:
        json.dump(answer, file)
    os.replace(answer_file + ".new", answer_file)


main()
