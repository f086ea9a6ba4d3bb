#include "textflag.h"

// Sixteen messages at a time, with the 512 bits of AVX-512:
//	Z0 to Z7    the state
//	Z8 to Z23   the last 16 words of the schedule
//	Z24 to Z30  for a moment
//	Z31         how the bytes of a word are turned around
//	DI state, SI pointers to the messages, R8 how far one is in them, R9 constants,
//	R10 blocks that are left, R11 how many times 16 rounds are left

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
#define WORDS(q, W0, W1, W2, W3) \
	COLUMN(0, q, X24, Z24); \
	COLUMN(1, q, X25, Z25); \
	COLUMN(2, q, X26, Z26); \
	COLUMN(3, q, X27, Z27); \
	VPUNPCKLDQ  Z25, Z24, Z28; \
	VPUNPCKHDQ  Z25, Z24, Z29; \
	VPUNPCKLDQ  Z27, Z26, Z30; \
	VPUNPCKHDQ  Z27, Z26, Z24; \
	VPUNPCKLQDQ Z30, Z28, W0; \
	VPUNPCKHQDQ Z30, Z28, W1; \
	VPUNPCKLQDQ Z24, Z29, W2; \
	VPUNPCKHQDQ Z24, Z29, W3; \
	VPSHUFB     Z31, W0, W0; \
	VPSHUFB     Z31, W1, W1; \
	VPSHUFB     Z31, W2, W2; \
	VPSHUFB     Z31, W3, W3

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
	WORDS(0, Z8, Z9, Z10, Z11)
	WORDS(1, Z12, Z13, Z14, Z15)
	WORDS(2, Z16, Z17, Z18, Z19)
	WORDS(3, Z20, Z21, Z22, Z23)
	LEAQ ·constants(SB), R9
	MOVQ $3, R11
	ROUND(Z0, Z1, Z2, Z3, Z4, Z5, Z6, Z7, Z8, 0)
	ROUND(Z7, Z0, Z1, Z2, Z3, Z4, Z5, Z6, Z9, 1)
	ROUND(Z6, Z7, Z0, Z1, Z2, Z3, Z4, Z5, Z10, 2)
	ROUND(Z5, Z6, Z7, Z0, Z1, Z2, Z3, Z4, Z11, 3)
	ROUND(Z4, Z5, Z6, Z7, Z0, Z1, Z2, Z3, Z12, 4)
	ROUND(Z3, Z4, Z5, Z6, Z7, Z0, Z1, Z2, Z13, 5)
	ROUND(Z2, Z3, Z4, Z5, Z6, Z7, Z0, Z1, Z14, 6)
	ROUND(Z1, Z2, Z3, Z4, Z5, Z6, Z7, Z0, Z15, 7)
	ROUND(Z0, Z1, Z2, Z3, Z4, Z5, Z6, Z7, Z16, 8)
	ROUND(Z7, Z0, Z1, Z2, Z3, Z4, Z5, Z6, Z17, 9)
	ROUND(Z6, Z7, Z0, Z1, Z2, Z3, Z4, Z5, Z18, 10)
	ROUND(Z5, Z6, Z7, Z0, Z1, Z2, Z3, Z4, Z19, 11)
	ROUND(Z4, Z5, Z6, Z7, Z0, Z1, Z2, Z3, Z20, 12)
	ROUND(Z3, Z4, Z5, Z6, Z7, Z0, Z1, Z2, Z21, 13)
	ROUND(Z2, Z3, Z4, Z5, Z6, Z7, Z0, Z1, Z22, 14)
	ROUND(Z1, Z2, Z3, Z4, Z5, Z6, Z7, Z0, Z23, 15)

rounds:
	ADDQ $64, R9
	NEXT(Z8, Z9, Z17, Z22)
	ROUND(Z0, Z1, Z2, Z3, Z4, Z5, Z6, Z7, Z8, 0)
	NEXT(Z9, Z10, Z18, Z23)
	ROUND(Z7, Z0, Z1, Z2, Z3, Z4, Z5, Z6, Z9, 1)
	NEXT(Z10, Z11, Z19, Z8)
	ROUND(Z6, Z7, Z0, Z1, Z2, Z3, Z4, Z5, Z10, 2)
	NEXT(Z11, Z12, Z20, Z9)
	ROUND(Z5, Z6, Z7, Z0, Z1, Z2, Z3, Z4, Z11, 3)
	NEXT(Z12, Z13, Z21, Z10)
	ROUND(Z4, Z5, Z6, Z7, Z0, Z1, Z2, Z3, Z12, 4)
	NEXT(Z13, Z14, Z22, Z11)
	ROUND(Z3, Z4, Z5, Z6, Z7, Z0, Z1, Z2, Z13, 5)
	NEXT(Z14, Z15, Z23, Z12)
	ROUND(Z2, Z3, Z4, Z5, Z6, Z7, Z0, Z1, Z14, 6)
	NEXT(Z15, Z16, Z8, Z13)
	ROUND(Z1, Z2, Z3, Z4, Z5, Z6, Z7, Z0, Z15, 7)
	NEXT(Z16, Z17, Z9, Z14)
	ROUND(Z0, Z1, Z2, Z3, Z4, Z5, Z6, Z7, Z16, 8)
	NEXT(Z17, Z18, Z10, Z15)
	ROUND(Z7, Z0, Z1, Z2, Z3, Z4, Z5, Z6, Z17, 9)
	NEXT(Z18, Z19, Z11, Z16)
	ROUND(Z6, Z7, Z0, Z1, Z2, Z3, Z4, Z5, Z18, 10)
	NEXT(Z19, Z20, Z12, Z17)
	ROUND(Z5, Z6, Z7, Z0, Z1, Z2, Z3, Z4, Z19, 11)
	NEXT(Z20, Z21, Z13, Z18)
	ROUND(Z4, Z5, Z6, Z7, Z0, Z1, Z2, Z3, Z20, 12)
	NEXT(Z21, Z22, Z14, Z19)
	ROUND(Z3, Z4, Z5, Z6, Z7, Z0, Z1, Z2, Z21, 13)
	NEXT(Z22, Z23, Z15, Z20)
	ROUND(Z2, Z3, Z4, Z5, Z6, Z7, Z0, Z1, Z22, 14)
	NEXT(Z23, Z8, Z16, Z21)
	ROUND(Z1, Z2, Z3, Z4, Z5, Z6, Z7, Z0, Z23, 15)
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
