import json, sys, sysconfig
scheme = "nt" if sys.platform == "win32" else "posix_prefix"
base = getattr(sys, "base_prefix", sys.prefix)
paths = sysconfig.get_paths(scheme, {"base": base, "platbase": base, "installed_base": base, "installed_platbase": base})
if "pypy" in sys.version.lower():
    paths["stdlib"] = sysconfig.get_path("stdlib")
names = ["LIBDIR", "INSTSONAME", "LDLIBRARY", "MULTIARCH"]
print(json.dumps({"prefix": base, "paths": paths, "config": dict((n, sysconfig.get_config_var(n) or "") for n in names),
                  "include": sysconfig.get_config_h_filename()}))
