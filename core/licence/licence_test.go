package licence_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"glassjar/core/licence"
	"glassjar/core/metadata"
	_ "glassjar/internal/long"
)

func TestOf(t *testing.T) {
	const approved = "License :: OSI Approved :: "
	for _, c := range []struct {
		expression, words string
		classifiers       []string
		want, from        string // want is the text where it is not clear, from empty then
	}{
		{"MIT", "", nil, "MIT", licence.FromExpression},
		{"mit or apache-2.0", "", nil, "MIT OR Apache-2.0", licence.FromExpression},
		{"GPL-3.0-or-later WITH Classpath-exception-2.0", "", nil, "GPL-3.0-or-later WITH Classpath-exception-2.0", licence.FromExpression},
		{"LicenseRef-Orchard", "", nil, "LicenseRef-Orchard", licence.FromExpression},
		{"My own", "MIT", nil, "My own", ""},
		{"", "MIT", nil, "MIT", licence.FromWords},
		{"", "MIT License", nil, "MIT", licence.FromWords},
		{"", "The MIT License (MIT)", nil, "MIT", licence.FromWords},
		{"", "Apache 2.0", nil, "Apache-2.0", licence.FromWords},
		{"", "Apache 2", nil, "Apache-2.0", licence.FromWords},
		{"", "Apache License, Version 2.0", nil, "Apache-2.0", licence.FromWords},
		{"", "Apache License v2", nil, "Apache-2.0", licence.FromWords},
		{"", "apache-2.0", nil, "Apache-2.0", licence.FromWords},
		{"", "MIT OR Apache-2.0", nil, "MIT OR Apache-2.0", licence.FromWords},
		{"", "BSD", nil, "BSD", ""},
		{"", "BSD 3-Clause License", nil, "BSD-3-Clause", licence.FromWords},
		{"", "3-Clause BSD License", nil, "BSD-3-Clause", licence.FromWords},
		{"", "New BSD License", nil, "BSD-3-Clause", licence.FromWords},
		{"", "BSD-2-Clause", nil, "BSD-2-Clause", licence.FromWords},
		{"", "GPLv3", nil, "GPL-3.0-only", licence.FromWords},
		{"", "GPLv3+", nil, "GPL-3.0-or-later", licence.FromWords},
		{"", "GNU GPL v3 or later", nil, "GPL-3.0-or-later", licence.FromWords},
		{"", "LGPLv2.1+", nil, "LGPL-2.1-or-later", licence.FromWords},
		{"", "GPL", nil, "GPL", ""},
		{"", "PSF", nil, "PSF-2.0", licence.FromWords},
		{"", "MPL 2.0", nil, "MPL-2.0", licence.FromWords},
		{"", "Dual License", nil, "Dual License", ""},
		{"", "UNKNOWN", nil, "not said", ""},
		{"", "UNKNOWN", []string{approved + "MIT License"}, "MIT", licence.FromClassifier},
		{"", "see the file", []string{"License :: Other/Proprietary License"}, "Other/Proprietary License", ""},
		{"", "", []string{approved + "BSD License"}, "BSD License", ""},
		{"", "BSD", []string{approved + "BSD License"}, "BSD", ""},
		{"", "BSD", []string{approved + "MIT License"}, "MIT", licence.FromClassifier},
		{"", "", []string{"License :: OSI Approved", approved + "Mozilla Public License 2.0 (MPL 2.0)"}, "MPL-2.0", licence.FromClassifier},
		{"", "", []string{approved + "MIT License", approved + "Apache Software License"}, "MIT License, Apache Software License", ""},
		{"", "", []string{approved + "MIT License", approved + "ISC License (ISCL)"}, "MIT AND ISC", licence.FromClassifier},
		{"", "", []string{approved + "GNU General Public License v3 or later (GPLv3+)"}, "GPL-3.0-or-later", licence.FromClassifier},
		{"", "", []string{approved + "GNU General Public License v2 (GPLv2)"}, "GPL-2.0-only", licence.FromClassifier},
		{"", "", []string{approved + "GNU Lesser General Public License v3 (LGPLv3)"}, "LGPL-3.0-only", licence.FromClassifier},
		{"", "", []string{approved + "GNU Library or Lesser General Public License (LGPL)"}, "GNU Library or Lesser General Public License (LGPL)", ""},
		{"", "", []string{approved + "GNU Affero General Public License v3 or later (AGPLv3+)"}, "AGPL-3.0-or-later", licence.FromClassifier},
		{"", "", []string{approved + "Python Software Foundation License"}, "PSF-2.0", licence.FromClassifier},
		{"", "", []string{approved + "The Unlicense (Unlicense)"}, "Unlicense", licence.FromClassifier},
		{"", "", []string{approved + "Boost Software License 1.0 (BSL-1.0)"}, "BSL-1.0", licence.FromClassifier},
		{"", "", []string{approved + "European Union Public Licence 1.2 (EUPL 1.2)"}, "EUPL-1.2", licence.FromClassifier},
		{"", "", []string{approved + "SIL Open Font License 1.1 (OFL-1.1)"}, "OFL-1.1", licence.FromClassifier},
		{"", "", []string{"License :: CC0 1.0 Universal (CC0 1.0) Public Domain Dedication"}, "CC0-1.0", licence.FromClassifier},
		{"", "", []string{approved + "University of Illinois/NCSA Open Source License"}, "NCSA", licence.FromClassifier},
		{"", "", []string{"License :: Public Domain"}, "Public Domain", ""},
		{"", "", nil, "not said", ""},
	} {
		text := "Metadata-Version: 2.4\nName: press\nVersion: 1\n"
		if c.expression != "" {
			text += "License-Expression: " + c.expression + "\n"
		}
		if c.words != "" {
			text += "License: " + c.words + "\n"
		}
		for _, one := range c.classifiers {
			text += "Classifier: " + one + "\n"
		}
		meta, err := metadata.Parse([]byte(text + "License-File: LICENSE\n"))
		require.NoError(t, err)
		l := licence.Of(meta)
		assert.Equal(t, c.want, l.String(), "%+v", c)
		assert.Equal(t, c.from, l.From, "%+v", c)
		assert.Equal(t, c.from != "", l.Clear(), "%+v", c)
		assert.Equal(t, []string{"LICENSE"}, l.Files)
	}
}

// A field into which somebody wrote the whole licence is cut short.
func TestWholeText(t *testing.T) {
	meta, err := metadata.Parse([]byte("Metadata-Version: 2.1\nName: press\nVersion: 1\nLicense: MIT License\n        \n        Permission is hereby granted, free of charge, to any person obtaining a copy of this software and more words\n"))
	require.NoError(t, err)
	assert.LessOrEqual(t, len(licence.Of(meta).String()), 130)
	meta.Classifiers = []string{"License :: OSI Approved :: Apache Software License"}
	assert.Equal(t, "Apache Software License", licence.Of(meta).String())
}

func TestAllowed(t *testing.T) {
	for _, c := range []struct {
		expression string
		allowed    []string
		want       bool
	}{
		{"MIT", []string{"MIT"}, true}, {"MIT", []string{"ISC"}, false}, {"MIT OR GPL-3.0-only", []string{"MIT"}, true}, {"MIT AND GPL-3.0-only", []string{"MIT"}, false},
		{"GPL-2.0-or-later", []string{"GPL-3.0-only"}, true}, {"LicenseRef-Orchard", []string{"LicenseRef-Orchard"}, true},
	} {
		got, err := licence.Allowed(c.expression, c.allowed)
		require.NoError(t, err)
		assert.Equal(t, c.want, got, "%+v", c)
	}
	assert.Empty(t, licence.Expression("Mitt"))
}
