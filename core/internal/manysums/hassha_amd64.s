#include "textflag.h"

// func hasSHA() bool
TEXT ·hasSHA(SB), NOSPLIT, $0-1
	MOVB $0, ret+0(FP)
	MOVL $0, AX
	MOVL $0, CX
	CPUID
	CMPL AX, $7
	JLT  none
	MOVL $7, AX
	MOVL $0, CX
	CPUID
	SHRL $29, BX
	ANDL $1, BX
	MOVB BX, ret+0(FP)

none:
	RET
