#include "textflag.h"
#include "rounds_amd64.h"

// Eight messages at a time, with the 256 bits of AVX2:
//	Y0 to Y7   the state
//	Y8 to Y15  for a moment
//	the stack  the last 16 words of the schedule
//	DI state, SI pointers to the messages, R8 how far one is in them, R9 constants,
//	R10 blocks that are left, R11 how many times 16 rounds are left

#define A Y0
#define B Y1
#define C Y2
#define D Y3
#define E Y4
#define F Y5
#define G Y6
#define H Y7
#define W0 (32*0)(SP)
#define W1 (32*1)(SP)
#define W2 (32*2)(SP)
#define W3 (32*3)(SP)
#define W4 (32*4)(SP)
#define W5 (32*5)(SP)
#define W6 (32*6)(SP)
#define W7 (32*7)(SP)
#define W8 (32*8)(SP)
#define W9 (32*9)(SP)
#define W10 (32*10)(SP)
#define W11 (32*11)(SP)
#define W12 (32*12)(SP)
#define W13 (32*13)(SP)
#define W14 (32*14)(SP)
#define W15 (32*15)(SP)

// COLUMN loads 16 bytes (number q) of the messages l and l+4.
#define COLUMN(l, q, X, Y) \
	MOVQ        (8*l)(SI), AX; \
	MOVQ        (8*l+32)(SI), BX; \
	VMOVDQU     (16*q)(AX)(R8*1), X; \
	VINSERTI128 $1, (16*q)(BX)(R8*1), Y, Y

// WORDS loads four words (from number 4q) of all messages.
#define WORDS(q, w0, w1, w2, w3) \
	COLUMN(0, q, X8, Y8); \
	COLUMN(1, q, X9, Y9); \
	COLUMN(2, q, X10, Y10); \
	COLUMN(3, q, X11, Y11); \
	VPUNPCKLDQ  Y9, Y8, Y12; \
	VPUNPCKHDQ  Y9, Y8, Y13; \
	VPUNPCKLDQ  Y11, Y10, Y14; \
	VPUNPCKHDQ  Y11, Y10, Y8; \
	VPUNPCKLQDQ Y14, Y12, Y9; \
	VPUNPCKHQDQ Y14, Y12, Y10; \
	VPUNPCKLQDQ Y8, Y13, Y11; \
	VPUNPCKHQDQ Y8, Y13, Y12; \
	VPSHUFB     Y15, Y9, Y9; \
	VPSHUFB     Y15, Y10, Y10; \
	VPSHUFB     Y15, Y11, Y11; \
	VPSHUFB     Y15, Y12, Y12; \
	VMOVDQU     Y9, w0; \
	VMOVDQU     Y10, w1; \
	VMOVDQU     Y11, w2; \
	VMOVDQU     Y12, w3

// TURN adds to "to" (with exclusive or) a word turned right by n bits; m is 32 - n.
#define TURN(n, m, from, to) \
	VPSRLD $n, from, Y9; \
	VPSLLD $m, from, Y10; \
	VPXOR  Y9, to, to; \
	VPXOR  Y10, to, to

// ROUND is one of the 64 (FIPS 180-4, section 6.2.2, step 3), number k of its sixteen.
#define ROUND(a, b, c, d, e, f, g, h, w, k) \
	VPBROADCASTD (4*k)(R9), Y8; \
	VPADDD       w, h, h; \
	VPADDD       Y8, h, h; \
	VPXOR        Y8, Y8, Y8; \
	TURN(6, 26, e, Y8); \
	TURN(11, 21, e, Y8); \
	TURN(25, 7, e, Y8); \
	VPXOR        f, g, Y11; \
	VPAND        e, Y11, Y11; \
	VPXOR        g, Y11, Y11; \
	VPADDD       Y8, h, h; \
	VPADDD       Y11, h, h; \
	VPADDD       h, d, d; \
	VPXOR        Y8, Y8, Y8; \
	TURN(2, 30, a, Y8); \
	TURN(13, 19, a, Y8); \
	TURN(22, 10, a, Y8); \
	VPOR         a, b, Y11; \
	VPAND        c, Y11, Y11; \
	VPAND        a, b, Y12; \
	VPOR         Y12, Y11, Y11; \
	VPADDD       Y8, h, h; \
	VPADDD       Y11, h, h

// NEXT makes word i of the schedule (step 1) in the place of the one sixteen before it.
#define NEXT(w0, w1, w9, w14) \
	VMOVDQU w1, Y11; \
	VMOVDQU w14, Y12; \
	VMOVDQU w0, Y13; \
	VPADDD  w9, Y13, Y13; \
	VPSRLD  $3, Y11, Y8; \
	TURN(7, 25, Y11, Y8); \
	TURN(18, 14, Y11, Y8); \
	VPADDD  Y8, Y13, Y13; \
	VPSRLD  $10, Y12, Y8; \
	TURN(17, 15, Y12, Y8); \
	TURN(19, 13, Y12, Y8); \
	VPADDD  Y8, Y13, Y13; \
	VMOVDQU Y13, w0

// func block8(state *uint32, in *[most]*byte, blocks int)
TEXT ·block8(SB), NOSPLIT, $512-24
	MOVQ            state+0(FP), DI
	MOVQ            in+8(FP), SI
	MOVQ            blocks+16(FP), R10
	XORQ            R8, R8
	VMOVDQU 0(DI), Y0
	VMOVDQU 32(DI), Y1
	VMOVDQU 64(DI), Y2
	VMOVDQU 96(DI), Y3
	VMOVDQU 128(DI), Y4
	VMOVDQU 160(DI), Y5
	VMOVDQU 192(DI), Y6
	VMOVDQU 224(DI), Y7

block:
	VBROADCASTI128 ·swap(SB), Y15
	MESSAGE
	LEAQ ·constants(SB), R9
	MOVQ $3, R11
	ROUNDS

rounds:
	ADDQ $64, R9
	NEXTROUNDS
	DECQ R11
	JNZ  rounds

	VPADDD 0(DI), Y0, Y0
	VPADDD 32(DI), Y1, Y1
	VPADDD 64(DI), Y2, Y2
	VPADDD 96(DI), Y3, Y3
	VPADDD 128(DI), Y4, Y4
	VPADDD 160(DI), Y5, Y5
	VPADDD 192(DI), Y6, Y6
	VPADDD 224(DI), Y7, Y7
	VMOVDQU Y0, 0(DI)
	VMOVDQU Y1, 32(DI)
	VMOVDQU Y2, 64(DI)
	VMOVDQU Y3, 96(DI)
	VMOVDQU Y4, 128(DI)
	VMOVDQU Y5, 160(DI)
	VMOVDQU Y6, 192(DI)
	VMOVDQU Y7, 224(DI)
	ADDQ $64, R8
	DECQ R10
	JNZ  block
	VZEROUPPER
	RET
