// Package graphviz runs the graph layouts of Graphviz in this process, compiled to
// WebAssembly: no program has to be installed, and what it is fed reaches nothing of the
// machine. The module is that of the npm package @viz-js/viz 3.31.0 (Graphviz 16.1.0);
// scripts/get-graphviz takes it out of the package. Graphviz is under the Eclipse Public
// License 2.0, its sources are at graphviz.org.
package graphviz

import (
	"context"
	_ "embed"
	"errors"
	"fmt"
	"math"
	"strings"

	"github.com/tetratelabs/wazero"
	"github.com/tetratelabs/wazero/api"
)

//go:embed graphviz.wasm
var module []byte

// The module's functions, whose names its build made short.
const (
	begin       = "A"
	free        = "E"
	malloc      = "F"
	readGraph   = "I"
	freeGraph   = "U"
	newContext  = "V"
	freeContext = "W"
	layout      = "X"
	freeLayout  = "Y"
	render      = "_"
)

// Machine lays graphs out, one at a time.
type Machine struct {
	runtime wazero.Runtime
	mod     api.Module
	said    []string // what went wrong, in Graphviz's words
}

// New makes a machine, which is to be closed. It ends when the context does.
func New(ctx context.Context) (*Machine, error) {
	m := &Machine{runtime: wazero.NewRuntimeWithConfig(ctx, wazero.NewRuntimeConfig().WithCloseOnContextDone(true).WithMemoryLimitPages(4096))}
	if err := m.load(ctx); err != nil {
		return nil, errors.Join(fmt.Errorf("starting the layout of diagrams: %w", err), m.Close(ctx))
	}
	return m, nil
}

// Close gives back what the machine holds.
func (m *Machine) Close(ctx context.Context) error { return m.runtime.Close(ctx) }

// load starts the module. Of a system it gets nothing but memory.
func (m *Machine) load(ctx context.Context) error {
	compiled, err := m.runtime.CompileModule(ctx, module)
	if err != nil {
		return err
	}
	host := m.runtime.NewHostModuleBuilder("a")
	for _, f := range compiled.ImportedFunctions() {
		_, name, _ := f.Import()
		host.NewFunctionBuilder().WithGoModuleFunction(api.GoModuleFunc(m.system(name, len(f.ResultTypes()))), f.ParamTypes(), f.ResultTypes()).Export(name)
	}
	if _, err := host.Instantiate(ctx); err != nil {
		return err
	}
	if m.mod, err = m.runtime.InstantiateModule(ctx, compiled, wazero.NewModuleConfig().WithStartFunctions()); err != nil {
		return err
	}
	_, err = m.mod.ExportedFunction(begin).Call(ctx)
	return err
}

// system is what the module may ask its surroundings for: more memory, and to have an
// error told. All else is not there.
func (m *Machine) system(name string, results int) func(context.Context, api.Module, []uint64) {
	switch name {
	case "k": // more memory, up to so many bytes
		return func(_ context.Context, mod api.Module, stack []uint64) {
			const page = 1 << 16
			want := (uint64(api.DecodeU32(stack[0])) + page - 1) / page
			have := uint64(mod.Memory().Size()) / page
			ok := want <= have
			if !ok {
				_, ok = mod.Memory().Grow(uint32(want - have))
			}
			stack[0] = 0
			if ok {
				stack[0] = 1
			}
		}
	case "p": // an error
		return func(_ context.Context, mod api.Module, stack []uint64) {
			if len(m.said) < 20 {
				m.said = append(m.said, text(mod, api.DecodeU32(stack[0])))
			}
			stack[0] = 0
		}
	case "a", "b", "c", "h": // an assertion, an exception, exit, abort
		return func(context.Context, api.Module, []uint64) { panic(errors.New("the layout gave up")) }
	}
	return func(_ context.Context, _ api.Module, stack []uint64) {
		if results > 0 {
			stack[0] = api.EncodeI32(-52) // ENOSYS
		}
	}
}

// text is a text of the module's memory.
func text(mod api.Module, at uint32) string {
	var b strings.Builder
	for {
		c, ok := mod.Memory().ReadByte(at)
		if !ok || c == 0 || at == math.MaxUint32 {
			return b.String()
		}
		b.WriteByte(c)
		at++
	}
}

// Layout lays a graph in the DOT language out with one of Graphviz's engines ("dot") and
// answers it in one of its formats ("plain").
func (m *Machine) Layout(ctx context.Context, graph, engine, format string) (string, error) {
	m.said = nil
	out, err := m.layout(ctx, graph, engine, format)
	if err != nil {
		return "", fmt.Errorf("laying a diagram out: %w %s", err, strings.TrimSpace(strings.Join(m.said, "; ")))
	}
	return out, nil
}

func (m *Machine) layout(ctx context.Context, graph, engine, format string) (string, error) {
	var failed error
	call := func(name string, args ...uint64) uint64 {
		if failed != nil {
			return 0
		}
		got, err := m.mod.ExportedFunction(name).Call(ctx, args...)
		if failed = err; err != nil || len(got) == 0 {
			return 0
		}
		return got[0]
	}
	put := func(s string) uint64 {
		at := call(malloc, uint64(len(s)+1))
		if failed == nil && (at == 0 || !m.mod.Memory().Write(uint32(at), append([]byte(s), 0))) {
			failed = errors.New("no memory")
		}
		return at
	}
	dot, name, form := put(graph), put(engine), put(format)
	defer func() {
		for _, p := range []uint64{dot, name, form} {
			call(free, p)
		}
	}()
	g := call(readGraph, dot)
	if failed != nil || g == 0 {
		return "", errors.Join(failed, errors.New("it is no graph"))
	}
	defer call(freeGraph, g)
	c := call(newContext)
	defer call(freeContext, c)
	if call(layout, c, g, name) != 0 {
		return "", errors.Join(failed, errors.New("there is no layout"))
	}
	defer call(freeLayout, c, g)
	at := call(render, c, g, form)
	if failed != nil || at == 0 {
		return "", errors.Join(failed, errors.New("nothing came of it"))
	}
	out := text(m.mod, uint32(at))
	call(free, at)
	return out, failed
}
