package manysums

import "golang.org/x/sys/cpu"

//go:noescape
func block8(state *uint32, in *[most]*byte, blocks int)

//go:noescape
func block16(state *uint32, in *[most]*byte, blocks int)

// engines are those that this processor can run, the best first.
func engines() []engine {
	var all []engine
	if cpu.X86.HasAVX512F && cpu.X86.HasAVX512BW && cpu.X86.HasAVX512VL {
		all = append(all, engine{16, 2, block16})
	}
	if cpu.X86.HasAVX2 {
		all = append(all, engine{8, 3, block8})
	}
	return all
}

var best = choose()

// choose gives the engine to be used; none where the processor has instructions of its own.
func choose() engine {
	all := engines()
	if len(all) == 0 || hasSHA() {
		return engine{}
	}
	return all[0]
}

// hasSHA asks the processor for its instructions for SHA-256 (CPUID, leaf 7, EBX, bit 29).
func hasSHA() bool
