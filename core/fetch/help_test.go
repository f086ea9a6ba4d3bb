package fetch_test

import "net/url"

func mustURL(text string) *url.URL {
	u, err := url.Parse(text)
	if err != nil {
		panic(err)
	}
	return u
}
