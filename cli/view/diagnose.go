package view

import (
	"path/filepath"
	"strings"

	"glassjar/cli/wire"
	"glassjar/core/diagnose"
)

// Diagnosis explains why an import works or fails, and ends with what mends it.
func (s *Screen) Diagnosis(d *diagnose.Diagnosis) {
	t := s.Sheet()
	state := s.Bad("fails")
	if d.Works {
		state = s.Good("works")
	}
	if d.Case == diagnose.CaseShadowed || d.Case == diagnose.CaseOutside {
		state = s.Warn("not as it looks")
	}
	if d.Case == diagnose.CaseNotTried {
		state = s.Warn("not tried")
	}
	t.Line("import", s.Bold(d.Module), state, s.Faint("with "+d.Python+" in "+s.Jar(d.Jar)))
	s.because(t, d)
	if mend := s.mend(d.Mend); mend != "" {
		t.Line("try", s.Bold(mend))
	}
	t.Print()
}

// Diagnosed is a diagnosis as JSON has it.
func (s *Screen) Diagnosed(d *diagnose.Diagnosis) *wire.DiagnosisResult {
	return wire.Diagnosis(d, s.mend)
}

// mend is the one command, or step, that mends an import.
func (s *Screen) mend(m diagnose.Mend) string {
	switch m.Step {
	case diagnose.Install:
		return "glassjar install " + m.Of
	case diagnose.Upgrade:
		return "glassjar upgrade " + m.Of
	case diagnose.Recreate:
		return "glassjar recreate"
	case diagnose.Replace:
		return "glassjar uninstall " + m.Of + ", then install a version for this Python"
	case diagnose.Search:
		return "glassjar search " + m.Of
	case diagnose.LookAt:
		return "glassjar about " + m.Of
	case diagnose.RunIn:
		return "glassjar run --jar " + s.typed(m.Of) + " python"
	case diagnose.Import:
		return "import " + m.Of
	case diagnose.Rename:
		return "give " + s.Path(m.Of) + " another name"
	case diagnose.Older:
		return "glassjar pythons, for one before " + m.Of
	case diagnose.System:
		return "install the system's package that has " + m.Of
	case diagnose.OwnFolder:
		return "stand in a folder of your own"
	}
	return ""
}

// because gives the reasons, and those of what is missing within.
func (s *Screen) because(t *Sheet, d *diagnose.Diagnosis) {
	for _, line := range s.caseWords(d) {
		t.Line("why", s.Plain(line))
	}
	if d.File != "" {
		t.Line("file", s.Plain(s.Path(filepath.Clean(d.File))))
	}
	if d.Error != "" && d.Because == nil {
		t.Line("python", s.Faint("said "+firstLine(d.Error)))
		if d.At != "" && d.Case == diagnose.CaseRaises {
			t.Line("", s.Faint("at "+d.At))
		}
	}
	if d.Because != nil {
		t.Line("why", s.Plain("and "+d.Because.Module+":"))
		s.because(t, d.Because)
	}
}

// caseWords are the sentences for each case.
func (s *Screen) caseWords(d *diagnose.Diagnosis) []string {
	owner := d.Distribution
	if d.Version != "" {
		owner += " " + d.Version
	}
	switch d.Case {
	case diagnose.CaseWorks:
		if owner == "" {
			return []string{"it is a file that belongs to no package of the jar"}
		}
		return []string{"it belongs to " + owner}
	case diagnose.CaseNotTried:
		whose := "the jar was not made here for you"
		if d.Detail != "" {
			whose = s.Path(d.Detail) + " is another user's folder"
		}
		where := "; it would come from here"
		if d.File == "" {
			where = ", and no file of that name is in the jar or here"
		}
		return []string{"an import runs code, and " + whose + where}
	case diagnose.CaseStandard:
		return []string{"it belongs to Python's own library"}
	case diagnose.CaseFormer:
		return []string{"it was part of Python's own library until " + d.Detail + " took it out"}
	case diagnose.CaseShadowed:
		return []string{s.Path(d.File) + " comes before " + d.Detail + ", since Python looks first where the program stands"}
	case diagnose.CaseOutside:
		return []string{"it is not in the jar: it comes from outside, by " + d.Detail}
	case diagnose.CaseOnlyOutside:
		return []string{"it is in " + s.Path(d.Detail) + ", which this jar does not see"}
	case diagnose.CaseNotInstalled:
		return []string{strings.TrimSpace("it is not in the jar; the index has "+owner) + ", which brings it"}
	case diagnose.CaseOtherName:
		if d.Import != "" {
			return []string{d.Distribution + " is the distribution's name; what one imports is " + d.Import}
		}
		return []string{"it is not in the jar; the distribution that brings it is called " + owner}
	case diagnose.CaseMisspelt:
		if d.Import != "" {
			return []string{"there is no such module; " + d.Import + " comes near"}
		}
		return []string{"there is no such module; the index has " + d.Distribution + ", which comes near"}
	case diagnose.CaseLetterCase:
		return []string{"Python tells upper from lower case: the module is " + d.Import}
	case diagnose.CaseOtherJar:
		return []string{"it is not in this jar, but in " + s.Path(d.Detail)}
	case diagnose.CasePart:
		return []string{owner + " is here, and has no " + d.Detail}
	case diagnose.CaseNeeds:
		return []string{strings.TrimSpace("it is here ("+s.Path(d.File)+")") + ", but imports " + d.Detail + ", which fails"}
	case diagnose.CaseOtherPython:
		line := owner + " is built for another Python or system"
		if d.Detail != "" {
			line += " (" + d.Detail + ")"
		}
		return []string{line}
	case diagnose.CaseLibrary:
		return []string{"it needs the system's library " + d.Detail + ", which is not there"}
	case diagnose.CaseDies:
		return []string{"Python itself ended while importing it"}
	case diagnose.CaseRaises:
		if d.Detail != "" {
			return []string{owner + " is installed, but " + d.Detail}
		}
		return []string{"it is here, and its own code raises an error"}
	}
	return []string{"neither the jar, nor an index, nor another jar has it"}
}
