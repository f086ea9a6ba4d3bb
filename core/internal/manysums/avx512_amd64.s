#include "textflag.h"
#include "rounds_amd64.h"

// Sixteen messages at a time, with the 512 bits of AVX-512:
//	Z0 to Z7    the state
//	Z8 to Z23   the last 16 words of the schedule
//	Z24 to Z30  for a moment
//	Z31         how the bytes of a word are turned around
//	DI state, SI pointers to the messages, R8 how far one is in them, R9 constants,
//	R10 blocks that are left, R11 how many times 16 rounds are left

#define A Z0
#define B Z1
#define C Z2
#define D Z3
#define E Z4
#define F Z5
#define G Z6
#define H Z7
#define W0 Z8
#define W1 Z9
#define W2 Z10
#define W3 Z11
#define W4 Z12
#define W5 Z13
#define W6 Z14
#define W7 Z15
#define W8 Z16
#define W9 Z17
#define W10 Z18
#define W11 Z19
#define W12 Z20
#define W13 Z21
#define W14 Z22
#define W15 Z23

// COLUMN loads 16 bytes (number q) of the messages l, l+4, l+8 and l+12.
#define COLUMN(l, q, X, Z) \
	MOVQ          (8*l)(SI), AX; \
	MOVQ          (8*l+32)(SI), BX; \
	MOVQ          (8*l+64)(SI), CX; \
	MOVQ          (8*l+96)(SI), DX; \
	VMOVDQU32     (16*q)(AX)(R8*1), X; \
	VINSERTI32X4  $1, (16*q)(BX)(R8*1), Z, Z; \
	VINSERTI32X4  $2, (16*q)(CX)(R8*1), Z, Z; \
	VINSERTI32X4  $3, (16*q)(DX)(R8*1), Z, Z

// WORDS loads four words (from number 4q) of all messages: each register then holds one word of all.
#define WORDS(q, w0, w1, w2, w3) \
	COLUMN(0, q, X24, Z24); \
	COLUMN(1, q, X25, Z25); \
	COLUMN(2, q, X26, Z26); \
	COLUMN(3, q, X27, Z27); \
	VPUNPCKLDQ  Z25, Z24, Z28; \
	VPUNPCKHDQ  Z25, Z24, Z29; \
	VPUNPCKLDQ  Z27, Z26, Z30; \
	VPUNPCKHDQ  Z27, Z26, Z24; \
	VPUNPCKLQDQ Z30, Z28, w0; \
	VPUNPCKHQDQ Z30, Z28, w1; \
	VPUNPCKLQDQ Z24, Z29, w2; \
	VPUNPCKHQDQ Z24, Z29, w3; \
	VPSHUFB     Z31, w0, w0; \
	VPSHUFB     Z31, w1, w1; \
	VPSHUFB     Z31, w2, w2; \
	VPSHUFB     Z31, w3, w3

// ROUND is one of the 64 (FIPS 180-4, section 6.2.2, step 3), number k of its sixteen.
#define ROUND(a, b, c, d, e, f, g, h, w, k) \
	VPADDD.BCST (4*k)(R9), h, h; \
	VPADDD      w, h, h; \
	VPRORD      $6, e, Z24; \
	VPRORD      $11, e, Z25; \
	VPRORD      $25, e, Z26; \
	VPTERNLOGD  $0x96, Z24, Z25, Z26; \
	VMOVDQA32   e, Z27; \
	VPTERNLOGD  $0xCA, g, f, Z27; \
	VPADDD      Z26, h, h; \
	VPADDD      Z27, h, h; \
	VPADDD      h, d, d; \
	VPRORD      $2, a, Z24; \
	VPRORD      $13, a, Z25; \
	VPRORD      $22, a, Z26; \
	VPTERNLOGD  $0x96, Z24, Z25, Z26; \
	VMOVDQA32   a, Z27; \
	VPTERNLOGD  $0xE8, c, b, Z27; \
	VPADDD      Z26, h, h; \
	VPADDD      Z27, h, h

// NEXT makes a word of the schedule (step 1) in the place of the one sixteen before it.
#define NEXT(w0, w1, w9, w14) \
	VPRORD     $7, w1, Z24; \
	VPRORD     $18, w1, Z25; \
	VPSRLD     $3, w1, Z26; \
	VPTERNLOGD $0x96, Z24, Z25, Z26; \
	VPADDD     w9, w0, w0; \
	VPADDD     Z26, w0, w0; \
	VPRORD     $17, w14, Z24; \
	VPRORD     $19, w14, Z25; \
	VPSRLD     $10, w14, Z26; \
	VPTERNLOGD $0x96, Z24, Z25, Z26; \
	VPADDD     Z26, w0, w0

// func block16(state *uint32, in *[most]*byte, blocks int)
TEXT ·block16(SB), NOSPLIT, $0-24
	MOVQ            state+0(FP), DI
	MOVQ            in+8(FP), SI
	MOVQ            blocks+16(FP), R10
	XORQ            R8, R8
	VBROADCASTI32X4 ·swap(SB), Z31
	VMOVDQU32 0(DI), Z0
	VMOVDQU32 64(DI), Z1
	VMOVDQU32 128(DI), Z2
	VMOVDQU32 192(DI), Z3
	VMOVDQU32 256(DI), Z4
	VMOVDQU32 320(DI), Z5
	VMOVDQU32 384(DI), Z6
	VMOVDQU32 448(DI), Z7

block:
	MESSAGE
	LEAQ ·constants(SB), R9
	MOVQ $3, R11
	ROUNDS

rounds:
	ADDQ $64, R9
	NEXTROUNDS
	DECQ R11
	JNZ  rounds

	VPADDD 0(DI), Z0, Z0
	VPADDD 64(DI), Z1, Z1
	VPADDD 128(DI), Z2, Z2
	VPADDD 192(DI), Z3, Z3
	VPADDD 256(DI), Z4, Z4
	VPADDD 320(DI), Z5, Z5
	VPADDD 384(DI), Z6, Z6
	VPADDD 448(DI), Z7, Z7
	VMOVDQU32 Z0, 0(DI)
	VMOVDQU32 Z1, 64(DI)
	VMOVDQU32 Z2, 128(DI)
	VMOVDQU32 Z3, 192(DI)
	VMOVDQU32 Z4, 256(DI)
	VMOVDQU32 Z5, 320(DI)
	VMOVDQU32 Z6, 384(DI)
	VMOVDQU32 Z7, 448(DI)
	ADDQ $64, R8
	DECQ R10
	JNZ  block
	VZEROUPPER
	RET
