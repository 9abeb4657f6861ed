// Package postgres is a placeholder until the next commit.
package postgres

import (
	"context"
	"errors"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/order"
	"dappermirror/internal/core/sqltext"
	"dappermirror/internal/engine"
)

type Engine struct{}

func (Engine) Name() string                                { return "postgres" }
func (Engine) Title() string                               { return "PostgreSQL" }
func (Engine) Dialect() sqltext.Dialect                    { return sqltext.Postgres }
func (Engine) Writer(opt engine.WriteOptions) order.Writer { return nil }
func (Engine) Frame(plan *order.Plan) engine.Frame         { return engine.Frame{} }
func (Engine) Definition(o *catalog.Object) string         { return "" }
func (Engine) Open(ctx context.Context, address string, opt engine.OpenOptions) (engine.Database, error) {
	return nil, errors.New("later")
}
