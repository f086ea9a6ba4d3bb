// The order of rounds and words, for any engine: it defines A to H, which hold the state, W0 to W15,
// which hold the last words of the schedule, and
//	ROUND(a, b, c, d, e, f, g, h, w, k)  one of the 64 rounds, number k of its sixteen, with word w
//	NEXT(w0, w1, w9, w14)                a word of the schedule, in the place of the one sixteen before
//	WORDS(q, w0, w1, w2, w3)             four words (from number 4q) of all messages

#define MESSAGE \
	WORDS(0, W0, W1, W2, W3); \
	WORDS(1, W4, W5, W6, W7); \
	WORDS(2, W8, W9, W10, W11); \
	WORDS(3, W12, W13, W14, W15)

#define ROUNDS \
	ROUND(A, B, C, D, E, F, G, H, W0, 0); \
	ROUND(H, A, B, C, D, E, F, G, W1, 1); \
	ROUND(G, H, A, B, C, D, E, F, W2, 2); \
	ROUND(F, G, H, A, B, C, D, E, W3, 3); \
	ROUND(E, F, G, H, A, B, C, D, W4, 4); \
	ROUND(D, E, F, G, H, A, B, C, W5, 5); \
	ROUND(C, D, E, F, G, H, A, B, W6, 6); \
	ROUND(B, C, D, E, F, G, H, A, W7, 7); \
	ROUND(A, B, C, D, E, F, G, H, W8, 8); \
	ROUND(H, A, B, C, D, E, F, G, W9, 9); \
	ROUND(G, H, A, B, C, D, E, F, W10, 10); \
	ROUND(F, G, H, A, B, C, D, E, W11, 11); \
	ROUND(E, F, G, H, A, B, C, D, W12, 12); \
	ROUND(D, E, F, G, H, A, B, C, W13, 13); \
	ROUND(C, D, E, F, G, H, A, B, W14, 14); \
	ROUND(B, C, D, E, F, G, H, A, W15, 15)

#define NEXTROUNDS \
	NEXT(W0, W1, W9, W14); \
	ROUND(A, B, C, D, E, F, G, H, W0, 0); \
	NEXT(W1, W2, W10, W15); \
	ROUND(H, A, B, C, D, E, F, G, W1, 1); \
	NEXT(W2, W3, W11, W0); \
	ROUND(G, H, A, B, C, D, E, F, W2, 2); \
	NEXT(W3, W4, W12, W1); \
	ROUND(F, G, H, A, B, C, D, E, W3, 3); \
	NEXT(W4, W5, W13, W2); \
	ROUND(E, F, G, H, A, B, C, D, W4, 4); \
	NEXT(W5, W6, W14, W3); \
	ROUND(D, E, F, G, H, A, B, C, W5, 5); \
	NEXT(W6, W7, W15, W4); \
	ROUND(C, D, E, F, G, H, A, B, W6, 6); \
	NEXT(W7, W8, W0, W5); \
	ROUND(B, C, D, E, F, G, H, A, W7, 7); \
	NEXT(W8, W9, W1, W6); \
	ROUND(A, B, C, D, E, F, G, H, W8, 8); \
	NEXT(W9, W10, W2, W7); \
	ROUND(H, A, B, C, D, E, F, G, W9, 9); \
	NEXT(W10, W11, W3, W8); \
	ROUND(G, H, A, B, C, D, E, F, W10, 10); \
	NEXT(W11, W12, W4, W9); \
	ROUND(F, G, H, A, B, C, D, E, W11, 11); \
	NEXT(W12, W13, W5, W10); \
	ROUND(E, F, G, H, A, B, C, D, W12, 12); \
	NEXT(W13, W14, W6, W11); \
	ROUND(D, E, F, G, H, A, B, C, W13, 13); \
	NEXT(W14, W15, W7, W12); \
	ROUND(C, D, E, F, G, H, A, B, W14, 14); \
	NEXT(W15, W0, W8, W13); \
	ROUND(B, C, D, E, F, G, H, A, W15, 15)

