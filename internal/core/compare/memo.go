package compare

import (
	"sync"

	"dappermirror/internal/core/catalog"
)

// Memo remembers what is worked out of structures that do not change, for whoever works
// with them many times.
type Memo struct {
	mu    sync.Mutex
	items map[*catalog.Object]*Item
	other map[any]any
}

// Once is what f answers for a key, which is asked once. A nil memo asks every time.
func Once[T any](m *Memo, key any, f func() T) T {
	if m == nil {
		return f()
	}
	m.mu.Lock()
	known, ok := m.other[key]
	m.mu.Unlock()
	if ok {
		return known.(T)
	}
	made := f()
	m.mu.Lock()
	defer m.mu.Unlock()
	if m.other == nil {
		m.other = map[any]any{}
	}
	m.other[key] = made
	return made
}

// item is that of an object that both sides share; nil where it is not known yet.
func (m *Memo) item(o *catalog.Object) *Item {
	if m == nil {
		return nil
	}
	m.mu.Lock()
	defer m.mu.Unlock()
	return m.items[o]
}

func (m *Memo) keep(o *catalog.Object, it *Item) {
	if m == nil {
		return
	}
	m.mu.Lock()
	defer m.mu.Unlock()
	if m.items == nil {
		m.items = map[*catalog.Object]*Item{}
	}
	m.items[o] = it
}
