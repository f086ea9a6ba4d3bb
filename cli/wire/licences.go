package wire

import "glassjar/core/operation"

// Licences are the terms under which distributions are.
type Licences struct {
	Of      []LicencesOf `json:"licences_of"`
	Refused int          `json:"refused"`
}

func ofLicences(v operation.Licences) Licences {
	return Licences{Of: list(v.Of, ofLicencesOf), Refused: v.Refused}
}

// LicencesOf are those of a jar or a record; allowed is what its spec allows, empty where it says
// nothing of that.
type LicencesOf struct {
	Subject
	Allowed  []string          `json:"allowed_licences"`
	Packages []LicensedPackage `json:"licensed"`
	Error    string            `json:"error,omitempty"`
}

func ofLicencesOf(v operation.LicencesOf) LicencesOf {
	out := LicencesOf{Subject: ofSubject(v.Subject), Allowed: v.Allowed, Packages: list(v.Packages, ofLicensed)}
	if v.Err != nil {
		out.Error = v.Err.Error()
	}
	return out
}

// LicensedPackage is one distribution; expression is empty where it is not clear.
type LicensedPackage struct {
	Name       string   `json:"name"`
	Version    string   `json:"version"`
	Expression string   `json:"expression"`
	Words      string   `json:"said"`
	From       string   `json:"from"`
	Files      []string `json:"licence_files"`
	Allowed    bool     `json:"allowed"`
}

func ofLicensed(v operation.LicensedPackage) LicensedPackage {
	return LicensedPackage{Name: v.Name, Version: v.Version, Expression: v.Expression, Words: v.Words, From: v.From, Files: v.Files, Allowed: v.Allowed}
}
