package apply

import (
	"encoding/json"

	"glassjar/core/index"
	"glassjar/core/jar"
	"glassjar/core/limits"
	"glassjar/core/metadata"
)

// OriginsFile is the file that tells from which package file, by its SHA-256, each distribution
// of the jar was unpacked.
func OriginsFile(j *jar.Jar) string { return j.Path(originsPath) }

const originsPath = "glassjar/origins.json"

// ReadOrigins tells from which package file, by its SHA-256, each distribution of a jar
// was unpacked; nothing for no jar, and for one whose file cannot be read.
func ReadOrigins(j *jar.Jar) map[string]string {
	out := map[string]string{}
	if j == nil {
		return out
	}
	if data, err := limits.ReadFile(OriginsFile(j), limits.Own); err == nil {
		if json.Unmarshal(data, &out) != nil {
			return map[string]string{} // all is compared by version alone
		}
	}
	return out
}

// originsText is the file of origins.
func originsText(origins map[string]string) []byte {
	data, _ := json.MarshalIndent(origins, "", "  ") // a map of strings always encodes
	return append(data, '\n')
}

func sameOrigins(j *jar.Jar, origins map[string]string) bool {
	have, err := limits.ReadFile(OriginsFile(j), limits.Own)
	return err == nil && string(have) == string(originsText(origins))
}

// directOf is direct_url.json (PEP 610) for a file that no index gave.
func directOf(f index.File, sum string) *metadata.DirectURL {
	if f.Index != "" {
		return nil
	}
	return &metadata.DirectURL{URL: f.URL, ArchiveInfo: &metadata.ArchiveInfo{Hashes: map[string]string{"sha256": sum}}}
}
