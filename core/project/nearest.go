package project

// Nearest is the word of a list that another was likely to be: the least far from it, by the
// number of letters to insert, drop, change or swap, and not far. Empty for none.
func Nearest(word string, list []string) string {
	best, at := "", -1
	for _, w := range list {
		if d := Distance(word, w); at < 0 || d < at {
			best, at = w, d
		}
	}
	if at > max(2, len(word)/3) {
		return ""
	}
	return best
}

// Distance counts the letters to insert, drop, change, or swap with their
// neighbour to turn a into b.
func Distance(a, b string) int {
	x, y := []rune(a), []rune(b)
	rows := [3][]int{make([]int, len(y)+1), make([]int, len(y)+1), make([]int, len(y)+1)}
	for j := range rows[1] {
		rows[1][j] = j
	}
	for i := 1; i <= len(x); i++ {
		before, last, now := rows[0], rows[1], rows[2]
		now[0] = i
		for j := 1; j <= len(y); j++ {
			cost := 1
			if x[i-1] == y[j-1] {
				cost = 0
			}
			now[j] = min(last[j]+1, now[j-1]+1, last[j-1]+cost)
			if i > 1 && j > 1 && x[i-1] == y[j-2] && x[i-2] == y[j-1] {
				now[j] = min(now[j], before[j-2]+1)
			}
		}
		rows[0], rows[1], rows[2] = last, now, before
	}
	return rows[1][len(y)]
}
