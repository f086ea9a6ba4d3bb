package patience

import (
	"bytes"
	"fmt"
	"os"
	"strconv"
	"strings"
	"syscall"
	"time"
)

// tick is the unit of times in /proc/PID/stat: Linux gives all programs hundredths of a second.
const tick = 10 * time.Millisecond

// most bounds how many processes are looked at: one that starts more is busy.
const most = 1000

// look takes in what has passed since the last look.
func (m *meter) look(passed time.Duration) {
	var busy time.Duration
	active := false
	todo := []int{m.pid}
	for n := 0; n < len(todo) && n < most; n++ {
		used, state, ok := process(todo[n])
		if !ok {
			continue // it has just ended
		}
		busy += used
		active = active || state == 'R' || state == 'D'
		children, _ := os.ReadFile(fmt.Sprintf("/proc/%d/task/%[1]d/children", todo[n])) // some kernels have none
		for _, child := range strings.Fields(string(children)) {
			if pid, err := strconv.Atoi(child); err == nil {
				todo = append(todo, pid)
			}
		}
	}
	m.started = todo[1:]
	if busy > m.busy {
		m.busy, active = busy, true
	}
	if !active {
		m.idle += passed
	}
}

// end kills what the process has started. It is called right after a look.
func (m *meter) end() {
	for _, pid := range m.started {
		_ = syscall.Kill(pid, syscall.SIGKILL) // it may have ended
	}
}

// process returns the processor time of a process and of its children that have ended, and its
// state, as proc(5) says.
func process(pid int) (used time.Duration, state byte, ok bool) {
	text, err := os.ReadFile(fmt.Sprintf("/proc/%d/stat", pid))
	if err != nil {
		return 0, 0, false
	}
	// The name in brackets may have anything in it.
	fields := strings.Fields(string(text[bytes.LastIndexByte(text, ')')+1:]))
	if len(fields) < 15 {
		return 0, 0, false
	}
	for _, field := range fields[11:15] { // utime, stime, cutime, cstime
		n, _ := strconv.ParseInt(field, 10, 64)
		used += time.Duration(n) * tick
	}
	// The first thread's own time is known more finely.
	if fine, err := os.ReadFile(fmt.Sprintf("/proc/%d/schedstat", pid)); err == nil {
		first, _, _ := strings.Cut(string(fine), " ")
		n, _ := strconv.ParseInt(first, 10, 64)
		used = max(used, time.Duration(n))
	}
	return used, fields[0][0], true
}
