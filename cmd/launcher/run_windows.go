package main

import (
	"syscall"
	"unsafe"
)

var modules = syscall.NewLazyDLL("kernel32.dll")

// Of the system's interface (processthreadsapi.h, winnt.h).
const (
	createSuspended        = 0x4
	extendedLimits         = 9
	limitKillOnClose       = 0x2000
	limitSilentBreakaway   = 0x1000
	startUsesStandardFiles = 0x100
)

// jobLimits is JOBOBJECT_EXTENDED_LIMIT_INFORMATION.
type jobLimits struct {
	perProcessTime, perJobTime int64
	flags                      uint32
	least, most                uintptr
	processes                  uint32
	affinity                   uintptr
	priority, scheduling       uint32
	io                         [6]uint64
	memory                     [4]uintptr
}

// run starts a program and waits until it ends. Interrupts are the program's business: this one
// stays until it has ended. Where this one is ended, so is the program; what that started goes
// on, such as a server.
func run(program, line string) (uint32, error) {
	stay := syscall.NewCallback(func(uintptr) uintptr { return 1 })
	_, _, _ = modules.NewProc("SetConsoleCtrlHandler").Call(stay, 1) // without a console there are none

	name, err := wide(program)
	if err != nil {
		return 0, err
	}
	words, err := syscall.UTF16FromString(line)
	if err != nil {
		return 0, err
	}
	var start syscall.StartupInfo
	_, _, _ = modules.NewProc("GetStartupInfoW").Call(uintptr(unsafe.Pointer(&start))) // cannot fail
	start.Cb = uint32(unsafe.Sizeof(start))
	start.Flags |= startUsesStandardFiles
	for _, s := range []struct {
		which int
		to    *syscall.Handle
	}{{syscall.STD_INPUT_HANDLE, &start.StdInput}, {syscall.STD_OUTPUT_HANDLE, &start.StdOutput}, {syscall.STD_ERROR_HANDLE, &start.StdErr}} {
		if h, err := syscall.GetStdHandle(s.which); err == nil && h != 0 {
			*s.to = h
			_ = syscall.SetHandleInformation(h, syscall.HANDLE_FLAG_INHERIT, syscall.HANDLE_FLAG_INHERIT) // a console's needs none
		}
	}
	var process syscall.ProcessInformation
	if err := syscall.CreateProcess(name, &words[0], nil, nil, true, createSuspended, nil, nil, &start, &process); err != nil {
		return 0, err
	}
	endTogether(process.Process)
	_, _, _ = modules.NewProc("ResumeThread").Call(uintptr(process.Thread)) // it was just made
	if _, err := syscall.WaitForSingleObject(process.Process, syscall.INFINITE); err != nil {
		return 0, err
	}
	var code uint32
	err = syscall.GetExitCodeProcess(process.Process, &code)
	return code, err
}

// endTogether has a process end with this one. A system that does not do that leaves it.
func endTogether(process syscall.Handle) {
	job, _, _ := modules.NewProc("CreateJobObjectW").Call(0, 0)
	if job == 0 {
		return
	}
	limits := jobLimits{flags: limitKillOnClose | limitSilentBreakaway}
	if ok, _, _ := modules.NewProc("SetInformationJobObject").Call(job, extendedLimits, uintptr(unsafe.Pointer(&limits)), unsafe.Sizeof(limits)); ok == 0 {
		return
	}
	_, _, _ = modules.NewProc("AssignProcessToJobObject").Call(job, uintptr(process)) // see above
}
