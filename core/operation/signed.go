package operation

import (
	"context"
	"errors"
	"io/fs"
	"os"
	"path/filepath"

	"glassjar/core/atomicfile"
	"glassjar/core/limits"
	"glassjar/core/place"
	"glassjar/core/project"
	"glassjar/core/signature"
)

// signText signs the text of a record with a key's file.
func (m *Machine) signText(ctx context.Context, key string, text []byte) ([]byte, *signature.Signed, error) {
	signer, done, err := signature.Key(ctx, m.absolute(key), m.AskPassphrase)
	defer done()
	if errors.Is(err, fs.ErrNotExist) {
		return nil, nil, usage(NoKey, key)
	}
	if err != nil {
		return nil, nil, err
	}
	sig, print, err := signature.Sign(signer, text)
	return sig, &signature.Signed{Key: print}, err
}

// signRecord puts the signature of a record beside it.
func (m *Machine) signRecord(ctx context.Context, key, file string) (*signature.Signed, error) {
	text, err := limits.ReadFile(file, limits.Record)
	if err != nil {
		return nil, err
	}
	sig, signed, err := m.signText(ctx, key, text)
	if err != nil {
		return nil, err
	}
	return signed, atomicfile.Write(file+signature.Ending, sig, atomicfile.Options{Within: repositoryOf(filepath.Dir(file)), Temporary: m.Making.Begin})
}

// signatureOf is the signature that stands beside a record; none where there is none.
func signatureOf(file string) ([][]byte, error) {
	sig, err := limits.ReadFile(file+signature.Ending, limits.Own)
	if errors.Is(err, fs.ErrNotExist) {
		return nil, nil
	}
	return [][]byte{sig}, err
}

// signers are those of whom one must have signed what is recreated: of the command or of the
// user's settings; nil where nobody need have.
func (m *Machine) signers(named string) (*signature.Signers, error) {
	switch {
	case named != "":
		named = m.absolute(named)
	case m.Settings.Signers != "":
		named = m.Settings.Signers
	default:
		return nil, nil
	}
	s, err := signature.ReadSigners(named)
	if errors.Is(err, fs.ErrNotExist) {
		return nil, usage(NoSigners, named)
	}
	return s, err
}

// checkSigned refuses a record that nobody signed of those whom the command or the settings
// name, with a [*signature.NotSignedError]. sigs gives its signatures, of which one must do. The
// answer is nil where nobody need have signed.
func (m *Machine) checkSigned(named, record string, text []byte, sigs func() ([][]byte, error)) (*signature.Signed, error) {
	signers, err := m.signers(named)
	if signers == nil || err != nil {
		return nil, err
	}
	all, err := sigs()
	if err != nil {
		return nil, err
	}
	if len(all) == 0 {
		all = [][]byte{nil}
	}
	for _, sig := range all {
		var signed *signature.Signed
		if signed, err = signers.Verify(record, text, sig, m.now()); err == nil {
			return signed, nil
		}
	}
	return nil, err
}

// dropStaleSignature takes away the signature of a record that is not what was signed any more,
// and says so. One that was made for something else is not touched.
func (m *Machine) dropStaleSignature(at place.Place) error {
	sigs, err := signatureOf(at.RecordFile)
	if err != nil || len(sigs) == 0 {
		return err
	}
	text, err := os.ReadFile(at.RecordFile)
	if err != nil && !errors.Is(err, project.ErrNoRecord) && !errors.Is(err, fs.ErrNotExist) {
		return err
	}
	if !signature.Stale(text, sigs[0]) {
		return nil
	}
	m.note(SignatureGone, m.relative(at.RecordFile+signature.Ending))
	return os.Remove(at.RecordFile + signature.Ending)
}
