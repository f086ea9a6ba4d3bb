package view

// freeBytes is not asked here.
func freeBytes(string) (int64, bool) { return 0, false }
