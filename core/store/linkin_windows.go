package store

// rootFolder is of no use where nothing is linked.
type rootFolder struct{}

func (*rootFolder) close() {}

func (p *Placer) linkIn(string, []Pair) (int, error) { return 0, nil }
