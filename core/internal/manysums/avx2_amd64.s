#include "textflag.h"

// Eight messages at a time, with the 256 bits of AVX2:
//	Y0 to Y7   the state
//	Y8 to Y15  for a moment
//	the stack  the last 16 words of the schedule
//	DI state, SI pointers to the messages, R8 how far one is in them, R9 constants,
//	R10 blocks that are left, R11 how many times 16 rounds are left

// COLUMN loads 16 bytes (number q) of the messages l and l+4.
#define COLUMN(l, q, X, Y) \
	MOVQ        (8*l)(SI), AX; \
	MOVQ        (8*l+32)(SI), BX; \
	VMOVDQU     (16*q)(AX)(R8*1), X; \
	VINSERTI128 $1, (16*q)(BX)(R8*1), Y, Y

// WORDS loads four words (from number 4q) of all messages.
#define WORDS(q) \
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
	VMOVDQU     Y9, (128*q)(SP); \
	VMOVDQU     Y10, (128*q+32)(SP); \
	VMOVDQU     Y11, (128*q+64)(SP); \
	VMOVDQU     Y12, (128*q+96)(SP)

// TURN adds to "to" (with exclusive or) a word turned right by n bits; m is 32 - n.
#define TURN(n, m, from, to) \
	VPSRLD $n, from, Y9; \
	VPSLLD $m, from, Y10; \
	VPXOR  Y9, to, to; \
	VPXOR  Y10, to, to

// ROUND is one of the 64 (FIPS 180-4, section 6.2.2, step 3), number k of its sixteen.
#define ROUND(a, b, c, d, e, f, g, h, k) \
	VPBROADCASTD (4*k)(R9), Y8; \
	VPADDD       (32*k)(SP), h, h; \
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
#define NEXT(i, i1, i9, i14) \
	VMOVDQU (32*i1)(SP), Y11; \
	VMOVDQU (32*i14)(SP), Y12; \
	VMOVDQU (32*i)(SP), Y13; \
	VPADDD  (32*i9)(SP), Y13, Y13; \
	VPSRLD  $3, Y11, Y8; \
	TURN(7, 25, Y11, Y8); \
	TURN(18, 14, Y11, Y8); \
	VPADDD  Y8, Y13, Y13; \
	VPSRLD  $10, Y12, Y8; \
	TURN(17, 15, Y12, Y8); \
	TURN(19, 13, Y12, Y8); \
	VPADDD  Y8, Y13, Y13; \
	VMOVDQU Y13, (32*i)(SP)

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
	WORDS(0)
	WORDS(1)
	WORDS(2)
	WORDS(3)
	LEAQ ·constants(SB), R9
	MOVQ $3, R11
	ROUND(Y0, Y1, Y2, Y3, Y4, Y5, Y6, Y7, 0)
	ROUND(Y7, Y0, Y1, Y2, Y3, Y4, Y5, Y6, 1)
	ROUND(Y6, Y7, Y0, Y1, Y2, Y3, Y4, Y5, 2)
	ROUND(Y5, Y6, Y7, Y0, Y1, Y2, Y3, Y4, 3)
	ROUND(Y4, Y5, Y6, Y7, Y0, Y1, Y2, Y3, 4)
	ROUND(Y3, Y4, Y5, Y6, Y7, Y0, Y1, Y2, 5)
	ROUND(Y2, Y3, Y4, Y5, Y6, Y7, Y0, Y1, 6)
	ROUND(Y1, Y2, Y3, Y4, Y5, Y6, Y7, Y0, 7)
	ROUND(Y0, Y1, Y2, Y3, Y4, Y5, Y6, Y7, 8)
	ROUND(Y7, Y0, Y1, Y2, Y3, Y4, Y5, Y6, 9)
	ROUND(Y6, Y7, Y0, Y1, Y2, Y3, Y4, Y5, 10)
	ROUND(Y5, Y6, Y7, Y0, Y1, Y2, Y3, Y4, 11)
	ROUND(Y4, Y5, Y6, Y7, Y0, Y1, Y2, Y3, 12)
	ROUND(Y3, Y4, Y5, Y6, Y7, Y0, Y1, Y2, 13)
	ROUND(Y2, Y3, Y4, Y5, Y6, Y7, Y0, Y1, 14)
	ROUND(Y1, Y2, Y3, Y4, Y5, Y6, Y7, Y0, 15)

rounds:
	ADDQ $64, R9
	NEXT(0, 1, 9, 14)
	ROUND(Y0, Y1, Y2, Y3, Y4, Y5, Y6, Y7, 0)
	NEXT(1, 2, 10, 15)
	ROUND(Y7, Y0, Y1, Y2, Y3, Y4, Y5, Y6, 1)
	NEXT(2, 3, 11, 0)
	ROUND(Y6, Y7, Y0, Y1, Y2, Y3, Y4, Y5, 2)
	NEXT(3, 4, 12, 1)
	ROUND(Y5, Y6, Y7, Y0, Y1, Y2, Y3, Y4, 3)
	NEXT(4, 5, 13, 2)
	ROUND(Y4, Y5, Y6, Y7, Y0, Y1, Y2, Y3, 4)
	NEXT(5, 6, 14, 3)
	ROUND(Y3, Y4, Y5, Y6, Y7, Y0, Y1, Y2, 5)
	NEXT(6, 7, 15, 4)
	ROUND(Y2, Y3, Y4, Y5, Y6, Y7, Y0, Y1, 6)
	NEXT(7, 8, 0, 5)
	ROUND(Y1, Y2, Y3, Y4, Y5, Y6, Y7, Y0, 7)
	NEXT(8, 9, 1, 6)
	ROUND(Y0, Y1, Y2, Y3, Y4, Y5, Y6, Y7, 8)
	NEXT(9, 10, 2, 7)
	ROUND(Y7, Y0, Y1, Y2, Y3, Y4, Y5, Y6, 9)
	NEXT(10, 11, 3, 8)
	ROUND(Y6, Y7, Y0, Y1, Y2, Y3, Y4, Y5, 10)
	NEXT(11, 12, 4, 9)
	ROUND(Y5, Y6, Y7, Y0, Y1, Y2, Y3, Y4, 11)
	NEXT(12, 13, 5, 10)
	ROUND(Y4, Y5, Y6, Y7, Y0, Y1, Y2, Y3, 12)
	NEXT(13, 14, 6, 11)
	ROUND(Y3, Y4, Y5, Y6, Y7, Y0, Y1, Y2, 13)
	NEXT(14, 15, 7, 12)
	ROUND(Y2, Y3, Y4, Y5, Y6, Y7, Y0, Y1, 14)
	NEXT(15, 0, 8, 13)
	ROUND(Y1, Y2, Y3, Y4, Y5, Y6, Y7, Y0, 15)
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
