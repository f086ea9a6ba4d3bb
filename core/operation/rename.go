package operation

import (
	"context"
	"os"
	"path/filepath"

	"glassjar/core/durable"
	"glassjar/core/jar"
	"glassjar/core/place"
	"glassjar/core/plan"
	"glassjar/core/project"
)

// Renamed tells of a jar that has another name on the shelf.
type Renamed struct {
	From string
	Name string
	Jar  string
}

// Rename gives a jar on the shelf another name.
func (m *Machine) Rename(ctx context.Context, from, to string) (*Renamed, error) {
	at, err := m.Places().Named(from)
	if err != nil {
		return nil, err
	}
	if at.Shelf == "" {
		return nil, usage(NotOnShelf, from)
	}
	if !place.ValidName(to) {
		return nil, &BadNameError{to}
	}
	target := m.Places().At(filepath.Join(m.Folders.Shelf, to), place.Named)
	release, err := m.holdProjects(ctx, at, target)
	if err != nil {
		return nil, err
	}
	defer release()
	if err := m.moveJar(ctx, at, target); err != nil {
		return nil, err
	}
	let, err := m.holdJar(ctx, target)
	if err != nil {
		return nil, err
	}
	defer let()
	j, err := m.open(target)
	if err != nil {
		return nil, err
	}
	m.Known.See(j)
	m.lending().Rename(j.ID(), to)
	out := &Renamed{From: at.Shelf, Name: to, Jar: target.Root}
	// What activation shows is written in the jar. Where its Python is gone that has
	// to wait until it is recreated.
	p := newJob(target)
	if _, _, err := m.present(ctx, p, &project.Spec{}, "", false); err != nil {
		m.note(OldPrompt, err.Error())
		return out, nil
	}
	p.parts = p.jar.State.Parts
	if err := p.rebase(target); err != nil {
		return out, err
	}
	p.catalog = m.newCatalog(nil)
	_, err = m.carryOut(ctx, p, func(*plan.Plan) (bool, error) { return true, nil })
	return out, err
}

// moveJar moves a jar while nobody else is at work on it.
func (m *Machine) moveJar(ctx context.Context, from, to place.Place) error {
	release, err := m.holdJar(ctx, from)
	if err != nil {
		return err
	}
	defer release()
	if err := jar.Vacant(to.Root); err != nil {
		return err
	}
	if err := os.Rename(from.Root, to.Root); err != nil {
		return err
	}
	return durable.Parent(to.Root)
}
