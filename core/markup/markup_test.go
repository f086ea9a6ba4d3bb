package markup_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/net/html"

	"glassjar/core/markup"
	_ "glassjar/internal/long"
)

func TestEverythingIsEscaped(t *testing.T) {
	el := markup.Element
	var b strings.Builder
	var none *html.Node
	require.NoError(t, markup.Write(&b, el("html", el("style", "a > b {}"), none, nil, el("p", markup.Attr{Key: "title", Value: `"><script>`}, "<b>", el("br")),
		markup.Each([]string{"x", "&"}, func(s string) *html.Node { return el("i", s) }))))
	assert.Equal(t, `<!DOCTYPE html><html><style>a > b {}</style><p title="&#34;&gt;&lt;script&gt;">&lt;b&gt;<br/></p><i>x</i><i>&amp;</i></html>`, b.String())
	assert.Panics(t, func() { el("p", 7) })
}
