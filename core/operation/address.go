package operation

import "net/url"

func parseURL(address string) (*url.URL, error) { return url.Parse(address) }

// trimDrive takes the slash off "/C:/folder".
func trimDrive(path string) string {
	if len(path) > 2 && path[0] == '/' && path[2] == ':' {
		return path[1:]
	}
	return path
}
