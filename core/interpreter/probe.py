# Says what an interpreter is, as one line of JSON. Runs on every Python from
# 2.7 on, without the site module and with nothing of the user's on the path.
import json
import os
import platform
import struct
import sys
import sysconfig


def version(info):
    text = "%d.%d.%d" % info[:3]
    if info[3] != "final":
        text += {"alpha": "a", "beta": "b", "candidate": "rc"}[info[3]] + str(info[4])
    return text


def confstr(name):
    try:
        return os.confstr(name) or ""
    except (AttributeError, ValueError, OSError):
        return ""


def glibc():
    text = confstr("CS_GNU_LIBC_VERSION")
    if not text and sys.platform.startswith("linux"):
        try:  # Python 2 does not know that name
            import ctypes
            ask = ctypes.CDLL(None).gnu_get_libc_version
            ask.restype = ctypes.c_char_p
            text = "glibc " + ask().decode("ascii")
        except Exception:
            pass
    return text


def magic():
    try:
        from _frozen_importlib_external import MAGIC_NUMBER as number
    except ImportError:
        import imp
        number = imp.get_magic()
    return "".join("%02x" % b for b in bytearray(number))


pypy = hasattr(sys, "pypy_version_info")
impl = getattr(sys, "implementation", None)
if impl is not None:
    impl_name, impl_version = impl.name, version(impl.version)
elif pypy:
    impl_name, impl_version = "pypy", version(sys.pypy_version_info)
else:
    impl_name, impl_version = "cpython", version(sys.version_info)

try:
    import site
    packages = site.getsitepackages()
except Exception:
    packages = [sysconfig.get_paths()["purelib"]]

stdlib = sysconfig.get_paths()["stdlib"]
print(json.dumps({
    "executable": sys.executable,
    "version": version(sys.version_info),
    "implementation": impl_name,
    "implementation_version": impl_version,
    "python_implementation": platform.python_implementation(),
    "prefix": getattr(sys, "base_prefix", sys.prefix),
    "in_environment": sys.prefix != getattr(sys, "base_prefix", sys.prefix),
    "base_executable": getattr(sys, "_base_executable", None) or sys.executable,
    "soabi": sysconfig.get_config_var("SOABI") or "",
    "ext_suffix": sysconfig.get_config_var("EXT_SUFFIX") or "",
    "free_threaded": bool(sysconfig.get_config_var("Py_GIL_DISABLED")),
    "abi_flags": getattr(sys, "abiflags", "") or "",
    "wide_unicode": str is bytes and sys.maxunicode > 0xFFFF,
    "with_pymalloc": bool(sysconfig.get_config_var("WITH_PYMALLOC")),
    "bits": struct.calcsize("P") * 8,
    "machine": platform.machine(),
    "os_name": os.name,
    "sys_platform": "linux" if sys.platform.startswith("linux") else sys.platform,
    "platform_system": platform.system(),
    "platform_release": platform.release(),
    "platform_version": platform.version(),
    "glibc": glibc(),
    "mac_version": platform.mac_ver()[0],
    "cache_tag": getattr(impl, "cache_tag", None) or "",
    "magic": magic(),
    "library_folder": getattr(sys, "platlibdir", "lib"),
    "site_packages": packages,
    "stdlib": stdlib,
    "managed": os.path.exists(os.path.join(stdlib, "EXTERNALLY-MANAGED")),
}))
