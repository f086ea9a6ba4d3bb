// The program that stands in a jar's Scripts folder on Windows under the names of its scripts and
// of its Python: it starts what its name stands for, and ends as that does.
//
// Under the name of a script it starts the jar's Python on the text of that script, which is in
// the folder "launch" beside it. Under the name python.exe or pythonw.exe it starts the interpreter
// that pyvenv.cfg names, and tells it whose it is, as CPython has it since 3.7
// (__PYVENV_LAUNCHER__): so nothing of an interpreter is copied into a jar.
//
// Elsewhere, with a text NAME.lent beside it, it starts what that names: so commands are lent.
//
// A jar has a copy for each script, and each start waits for this one: so it is in C, with nothing
// of a run-time library, and takes some kilobytes. "go generate ./core/jar" builds it.

// Of the system's interface; the headers that it is declared in are named where they are.
typedef unsigned short wide; // a unit of UTF-16
typedef unsigned long dword;
typedef void *handle;
typedef int boolean;
typedef unsigned long long word; // as wide as a pointer

#define SYSTEM __declspec(dllimport)

SYSTEM dword GetModuleFileNameW(handle, wide *, dword); // libloaderapi.h
SYSTEM handle GetModuleHandleW(const wide *);
SYSTEM handle LoadLibraryExW(const wide *, handle, dword);
SYSTEM void *GetProcAddress(handle, const char *);
SYSTEM wide *GetCommandLineW(void); // processenv.h
SYSTEM handle GetStdHandle(dword);
SYSTEM boolean SetEnvironmentVariableW(const wide *, const wide *);
SYSTEM handle CreateFileW(const wide *, dword, dword, void *, dword, dword, handle); // fileapi.h
SYSTEM boolean ReadFile(handle, void *, dword, dword *, void *);
SYSTEM boolean WriteFile(handle, const void *, dword, dword *, void *);
SYSTEM dword GetFileAttributesW(const wide *);
SYSTEM boolean CloseHandle(handle); // handleapi.h
SYSTEM boolean SetHandleInformation(handle, dword, dword);
SYSTEM int MultiByteToWideChar(dword, dword, const char *, int, wide *, int); // stringapiset.h
SYSTEM int WideCharToMultiByte(dword, dword, const wide *, int, char *, int, const char *, boolean *);
SYSTEM dword GetLastError(void); // errhandlingapi.h
SYSTEM dword FormatMessageW(dword, const void *, dword, dword, wide *, dword, void *); // winbase.h
SYSTEM boolean GetConsoleMode(handle, dword *); // consoleapi.h
SYSTEM boolean WriteConsoleW(handle, const void *, dword, dword *, void *);
SYSTEM boolean SetConsoleCtrlHandler(boolean (*)(dword), boolean);
SYSTEM void GetStartupInfoW(void *); // processthreadsapi.h
SYSTEM boolean CreateProcessW(const wide *, wide *, void *, void *, boolean, dword, void *, const wide *, void *, void *);
SYSTEM dword ResumeThread(handle);
SYSTEM boolean GetExitCodeProcess(handle, dword *);
SYSTEM void ExitProcess(dword);
SYSTEM dword WaitForSingleObject(handle, dword); // synchapi.h
SYSTEM handle CreateJobObjectW(void *, const wide *); // jobapi2.h
SYSTEM boolean SetInformationJobObject(handle, int, void *, dword);
SYSTEM boolean AssignProcessToJobObject(handle, handle);

enum {
	UTF8 = 65001,
	LONG_PATH = 240, // a longer path needs a prefix
	OWN_ERROR = 103,     // the exit code where nothing could be started
	ROOM = 1 << 15,      // what a path and a command line have at most, in units
};

// What the compiler calls by itself.
__attribute__((no_builtin)) void *memset(void *to, int value, word n) {
	for (unsigned char *p = to; n > 0; n--) *p++ = (unsigned char)value;
	return to;
}

// A text of the system's. What does not fit ends the program: nothing half is ever started.
typedef struct {
	wide units[ROOM + 16];
	int n;
} text;

static boolean windowed; // this one opens no console, nor what it starts
static text self, folder, name, config, python, script, program, line, scratch;

static void fail(const wide *why, boolean system);

static void add(text *t, const wide *more, int n) {
	if (t->n + n >= ROOM) {
		t->n = 0;
		fail(L"its command line is longer than Windows has it", 0);
	}
	for (int i = 0; i < n; i++) t->units[t->n + i] = more[i];
	t->n += n;
	t->units[t->n] = 0;
}

static int length(const wide *s) {
	int n = 0;
	while (s[n]) n++;
	return n;
}

static void append(text *t, const wide *more) { add(t, more, length(more)); }

static void set(text *t, const wide *to) {
	t->n = 0;
	append(t, to);
}

// quote adds one argument to a command line. Paths have no quotes in them.
static void quote(text *t, const text *path) {
	append(t, L"\"");
	add(t, path->units, path->n);
	append(t, L"\"");
}

static wide lowered(wide c) { return c >= 'A' && c <= 'Z' ? c + 'a' - 'A' : c; }

// is reports whether n units are a word, in any case of its letters.
static boolean is(const wide *s, int n, const wide *word) {
	for (int i = 0; i < n; i++)
		if (word[i] == 0 || lowered(s[i]) != word[i]) return 0;
	return word[n] == 0;
}

// last is where a path's last element begins.
static int last(const text *path) {
	for (int i = path->n; i > 0; i--)
		if (path->units[i - 1] == '\\' || path->units[i - 1] == '/') return i;
	return 0;
}

// beside is a path in this program's folder.
static void beside(text *t, const wide *in, const text *element, const wide *ending) {
	set(t, folder.units);
	append(t, in);
	if (element) add(t, element->units, element->n);
	append(t, ending);
}

// given is a path as the system takes it: "\\?\C:\..." where it is long, or "\\?\UNC\host\...".
static const wide *given(const text *path) {
	static text prefixed;
	const wide *p = path->units;
	boolean share = p[0] == '\\' && p[1] == '\\';
	if (path->n <= LONG_PATH || (share ? p[2] == '?' || p[2] == '.' : p[1] != ':')) return p;
	set(&prefixed, share ? L"\\\\?\\UNC" : L"\\\\?\\");
	add(&prefixed, p + share, path->n - share);
	return prefixed.units;
}

static boolean exists(const text *path) {
	dword attributes = GetFileAttributesW(given(path));
	return attributes != (dword)-1 && !(attributes & 0x10); // FILE_ATTRIBUTE_DIRECTORY
}

// read takes a text file in UTF-8, of which 32 kB count.
static boolean read(text *to, const text *path) {
	static char bytes[ROOM - 1];
	to->n = 0;
	// GENERIC_READ, shared with all others, OPEN_EXISTING
	handle file = CreateFileW(given(path), 0x80000000, 7, 0, 3, 0, 0);
	if (file == (handle)-1) return 0;
	dword n = 0;
	boolean ok = ReadFile(file, bytes, sizeof bytes, &n, 0);
	CloseHandle(file);
	if (!ok) return 0;
	int skip = n >= 3 && bytes[0] == '\xef' && bytes[1] == '\xbb' && bytes[2] == '\xbf' ? 3 : 0; // an editor's mark
	to->n = MultiByteToWideChar(UTF8, 0, bytes + skip, (int)n - skip, to->units, ROOM);
	to->units[to->n] = 0;
	return 1;
}

static boolean space(wide c) { return c == ' ' || c == '\t' || c == '\r'; }

// trimmed takes the space off both ends.
static const wide *trimmed(const wide *s, int *n) {
	for (; *n > 0 && space(*s); (*n)--) s++;
	while (*n > 0 && space(s[*n - 1])) (*n)--;
	return s;
}

// setting is the value of a line "key = value" of pyvenv.cfg, or empty.
static void setting(text *value, const wide *key) {
	set(value, L"");
	for (int at = 0; at < config.n;) {
		int end = at, equals = -1;
		for (; end < config.n && config.units[end] != '\n'; end++)
			if (equals < 0 && config.units[end] == '=') equals = end;
		if (equals >= 0) {
			int n = equals - at, m = end - equals - 1;
			const wide *k = trimmed(config.units + at, &n);
			const wide *v = trimmed(config.units + equals + 1, &m);
			if (is(k, n, key)) {
				add(value, v, m);
				return;
			}
		}
		at = end + 1;
	}
}

// arguments is this program's command line without its first word. The rest is passed on as it
// is, whatever its quotes mean.
static const wide *arguments(void) {
	boolean inside = 0;
	const wide *at = GetCommandLineW();
	for (; *at; at++) {
		if (*at == '"') inside = !inside;
		if ((*at == ' ' || *at == '\t') && !inside) break;
	}
	return at;
}

// theirs makes an interpreter the program to start, or the one beside it that opens no console.
static void theirs(const text *base, boolean without) {
	set(&program, base->units);
	int at = last(base);
	if (!without || base->n - at < 6 || !is(base->units + at, 6, L"python")) return;
	program.n = at + 6;
	append(&program, L"w");
	append(&program, base->units + at + 6);
	if (!exists(&program)) set(&program, base->units);
}

// choose finds the program to start, and its command line.
static void choose(void) {
	beside(&scratch, L"\\", &name, L".lent");
	if (read(&program, &scratch)) { // a command of a jar, from elsewhere
		for (int i = 0; i < program.n; i++)
			if (program.units[i] == '\n' || program.units[i] == '\r') program.n = i;
		program.units[program.n] = 0;
		if (!exists(&program)) {
			set(&scratch, program.units);
			append(&scratch, L" is not there: glassjar lend --list tells what became of its jar");
			fail(scratch.units, 0);
		}
		quote(&line, &program);
		append(&line, arguments());
		return;
	}
	set(&scratch, folder.units);
	scratch.n = last(&scratch);
	append(&scratch, L"pyvenv.cfg");
	if (!read(&config, &scratch)) fail(L"the jar has no pyvenv.cfg that can be read (glassjar recreate makes it anew): ", 1);
	static text base, redirects;
	setting(&base, L"base-executable");
	if (base.n == 0) fail(L"the jar's pyvenv.cfg names no Python: glassjar recreate makes it anew", 0);

	boolean graphical = is(name.units, name.n, L"pythonw");
	if (graphical || is(name.units, name.n, L"python")) {
		theirs(&base, graphical);
		append(&line, GetCommandLineW());
		SetEnvironmentVariableW(L"__PYVENV_LAUNCHER__", self.units);
		return;
	}
	beside(&script, L"\\launch\\", &name, L"");
	if (!exists(&script)) {
		set(&scratch, script.units);
		append(&scratch, L" is not there: glassjar check --mend puts it back");
		fail(scratch.units, 0);
	}
	beside(&python, windowed ? L"\\pythonw.exe" : L"\\python.exe", 0, L"");
	quote(&line, &python);
	append(&line, L" ");
	quote(&line, &script);
	append(&line, arguments());
	setting(&redirects, L"base-launcher");
	if (is(redirects.units, redirects.n, L"true")) { // the jar's own python.exe would do just that
		theirs(&base, windowed);
		SetEnvironmentVariableW(L"__PYVENV_LAUNCHER__", python.units);
	} else {
		set(&program, python.units);
	}
}

// Of processthreadsapi.h and winnt.h: STARTUPINFOW, PROCESS_INFORMATION and
// JOBOBJECT_EXTENDED_LIMIT_INFORMATION.
typedef struct {
	dword size;
	wide *reserved, *desktop, *title;
	dword place[6], fill, flags;
	unsigned short show, more;
	void *reserved2;
	handle files[3];
} startup;

typedef struct {
	handle process, thread;
	dword ids[2];
} started;

typedef struct {
	long long times[2];
	dword flags;
	word least, most;
	dword processes;
	word affinity;
	dword priority, scheduling;
	word io[6], memory[4];
} limits;

_Static_assert(sizeof(startup) == 104 && sizeof(limits) == 144, "as the system lays them out");

// together has a process end with this one; what that one starts goes on, such as a server. A
// system that does not do that leaves it.
static void together(handle process) {
	handle job = CreateJobObjectW(0, 0);
	if (!job) return;
	limits l;
	memset(&l, 0, sizeof l);
	l.flags = 0x2000 | 0x1000; // KILL_ON_JOB_CLOSE, SILENT_BREAKAWAY_OK
	if (SetInformationJobObject(job, 9, &l, sizeof l)) AssignProcessToJobObject(job, process);
}

// stay: an interrupt is the business of what was started. This one waits until that has ended.
static boolean stay(dword event) { return 1; }

// An address in its data gives the program a table of relocations, as programs have that may be
// placed anywhere (PE format, "The .reloc Section").
static boolean (*volatile handler)(dword) = stay;

// run starts the program and is its exit code.
static dword run(void) {
	SetConsoleCtrlHandler(handler, 1);
	startup s;
	GetStartupInfoW(&s);
	s.size = sizeof s;
	s.flags |= 0x100; // STARTF_USESTDHANDLES
	for (int i = 0; i < 3; i++) {
		handle h = GetStdHandle((dword)(-10 - i));
		if (h == 0 || h == (handle)-1) continue;
		s.files[i] = h;
		SetHandleInformation(h, 1, 1); // HANDLE_FLAG_INHERIT; a console's needs none
	}
	started p;
	if (!CreateProcessW(given(&program), line.units, 0, 0, 1, 4 /* CREATE_SUSPENDED */, 0, 0, &s, &p)) {
		set(&scratch, program.units);
		append(&scratch, L" cannot be started: ");
		fail(scratch.units, 1);
	}
	together(p.process);
	ResumeThread(p.thread);
	CloseHandle(p.thread);
	dword code = OWN_ERROR;
	WaitForSingleObject(p.process, (dword)-1);
	GetExitCodeProcess(p.process, &code);
	return code;
}

// fail says what is wrong, with the system's words where it is the system that said no, and ends.
static void fail(const wide *why, boolean system) {
	static text message;
	dword error = GetLastError();
	set(&message, L"glassjar: ");
	append(&message, name.units);
	append(&message, L": ");
	append(&message, why);
	if (system) { // FORMAT_MESSAGE_FROM_SYSTEM, IGNORE_INSERTS, and no line breaks
		if (message.n + 1024 < ROOM)
			message.n += (int)FormatMessageW(0x1000 | 0x200 | 0xff, 0, error, 0, message.units + message.n, 1024, 0);
		while (message.n > 0 && space(message.units[message.n - 1])) message.n--;
	}
	message.units[message.n] = 0;
	append(&message, L"\r\n");
	handle err = GetStdHandle((dword)-12);
	dword n;
	if (windowed || err == 0 || err == (handle)-1) {
		handle user = LoadLibraryExW(L"user32.dll", 0, 0x800); // LOAD_LIBRARY_SEARCH_SYSTEM32
		int (*box)(handle, const wide *, const wide *, dword) = user ? GetProcAddress(user, "MessageBoxW") : 0;
		if (box) box(0, message.units, L"glassjar", 0x10); // MB_ICONERROR
	} else if (GetConsoleMode(err, &n)) {
		WriteConsoleW(err, message.units, (dword)message.n, &n, 0);
	} else {
		static char bytes[3 * ROOM];
		int m = WideCharToMultiByte(UTF8, 0, message.units, message.n, bytes, sizeof bytes, 0, 0);
		WriteFile(err, bytes, (dword)m, &n, 0);
	}
	ExitProcess(OWN_ERROR);
}

// graphical reports whether this program is one of the graphical subsystem (PE format, "Optional
// Header Windows-Specific Fields": 2 at offset 68, after the signature and the file header). One
// field of its header tells the two kinds of it apart.
static boolean graphical(void) {
	const unsigned char *image = GetModuleHandleW(0);
	const unsigned char *header = image + *(const dword *)(image + 0x3c);
	return *(const unsigned short *)(header + 4 + 20 + 68) == 2;
}

void start(void) {
	windowed = graphical();
	self.n = (int)GetModuleFileNameW(0, self.units, ROOM);
	int at = last(&self);
	if (at == 0 || self.n >= ROOM) fail(L"this program cannot find itself: ", 1);
	if (is(self.units, 4, L"unc\\")) { // so Wine has a share's path
		set(&scratch, L"\\\\");
		append(&scratch, self.units + 4);
		set(&self, scratch.units);
		at = last(&self);
	}
	add(&folder, self.units, at - 1);
	int n = self.n - at;
	if (n > 4 && is(self.units + self.n - 4, 4, L".exe")) n -= 4;
	add(&name, self.units + at, n);
	choose();
	ExitProcess(run());
}
