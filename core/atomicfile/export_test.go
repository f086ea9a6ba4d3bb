package atomicfile

// Besides is [besides].
var Besides = besides

// Copied is [Cached.copied].
func (c *Cached) Copied() error { return c.copied() }
