package view

import (
	"errors"

	"glassjar/core/signature"
)

// signed is a line that tells who signed a record, if somebody did.
func (s *Screen) signed(t *Sheet, x *signature.Signed) {
	switch {
	case x == nil:
	case len(x.Who) == 0:
		t.Line("signed", s.Plain("with the key "+x.Key))
	default:
		t.Line("signed", s.Bold("by "+x.String()), s.Faint("key "+x.Key))
	}
}

// signatureWords are those of signatures.
func (s *Screen) signatureWords(err error) (Message, bool) {
	var (
		no   *signature.NotSignedError
		key  *signature.KeyError
		line *signature.LineError
	)
	switch {
	case errors.As(err, &no):
		m := Message{What: no.Record + " was not signed by anybody who is listed; nothing was done", Reasons: []string{no.Why, "those who are listed stand in " + s.Path(no.Signers)},
			Try: []string{"ask one of them to sign it: glassjar record --sign KEY, or glassjar seal --sign KEY"}}
		if no.Key != "" {
			m.Reasons = append(m.Reasons, "the key that signed is "+no.Key)
		}
		return m, true
	case errors.As(err, &key):
		return Message{What: "nothing was signed: " + s.Path(key.File) + " cannot be signed with", Reasons: []string{key.Why}, Try: []string{"give the command again, or name the file of another key"}}, true
	case errors.As(err, &line):
		return Message{What: "the file of signers cannot be read", Reasons: []string{line.Error()}, Try: []string{"a line for each: perry@orchard.example ssh-ed25519 AAAA..."}}, true
	}
	return Message{}, false
}
