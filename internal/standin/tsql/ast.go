// Package tsql takes Transact-SQL apart into a tree and prints it as the server
// does. It knows what statements look like, not what they mean: what a name stands
// for is the model's business.
package tsql

import "slices"

// Expr is an expression.
type Expr interface{ isExpr() }

// The kinds of expression.
type (
	// Name is a column, or a name of several parts.
	Name struct {
		Parts []string
		Pos   int
	}
	// Star is * or t.*.
	Star struct{ Of []string }
	// Literal is a constant. Kind is 's' for a string, 'n' for a national one, 'b'
	// for binary, '#' for a number and '0' for NULL.
	Literal struct {
		Kind byte
		Text string
	}
	// Variable is @name or @@name.
	Variable struct {
		Name string
		Pos  int
	}
	// Word is a word that stands where an argument could: day of DATEADD.
	Word struct{ Text string }
	// Unary is an operator before its operand: -, +, ~, NOT.
	Unary struct {
		Op string
		X  Expr
	}
	// Binary is an operator between two: arithmetic, comparisons, AND, OR.
	Binary struct {
		Op   string
		L, R Expr
	}
	// Call is a function.
	Call struct {
		Name     []string
		Args     []Expr
		Distinct bool
		Within   []OrderItem // WITHIN GROUP (ORDER BY …)
		Over     *Over
		Pos      int
	}
	// Method is a method called on a value (XML, places, hierarchies), or on a type where X
	// is nil.
	Method struct {
		X    Expr
		Of   []string
		Name string
		Args []Expr
		Bare bool // a property, without brackets
	}
	// Quantified compares a value with all, or any, that a query answers.
	Quantified struct {
		Op    string
		X     Expr
		All   bool
		Query *Query
	}
	// AtZone is AT TIME ZONE.
	AtZone struct{ X, Zone Expr }
	// Over is the window of a function. Name is one of the query's own windows.
	Over struct {
		Name      string
		Partition []Expr
		Order     []OrderItem
		Frame     string
	}
	// Convert is CAST or CONVERT, or one that tries; of PARSE, which reads a text by the
	// manners of a culture, Parse is set.
	Convert struct {
		Type    TypeName
		X       Expr
		Style   Expr
		Try     bool
		Parse   bool
		Culture Expr
	}
	// Case is CASE in both forms.
	Case struct {
		Operand Expr
		Whens   []When
		Else    Expr
	}
	// When is one branch of a Case.
	When struct{ If, Then Expr }
	// In is IN with a list or a query.
	In struct {
		X     Expr
		List  []Expr
		Query *Query
		Not   bool
	}
	// Between is BETWEEN.
	Between struct {
		X, Low, High Expr
		Not          bool
	}
	// Like is LIKE.
	Like struct {
		X, Pattern, Escape Expr
		Not                bool
	}
	// IsNull is IS NULL.
	IsNull struct {
		X   Expr
		Not bool
	}
	// Exists is EXISTS.
	Exists struct{ Query *Query }
	// Subquery is a query as a value.
	Subquery struct{ Query *Query }
	// Collate is COLLATE.
	Collate struct {
		X    Expr
		Name string
	}
	// NextValue is NEXT VALUE FOR.
	NextValue struct {
		Sequence []string
		Over     *Over
	}
)

func (*Name) isExpr()       {}
func (*Star) isExpr()       {}
func (*Literal) isExpr()    {}
func (*Variable) isExpr()   {}
func (*Unary) isExpr()      {}
func (*Binary) isExpr()     {}
func (*Call) isExpr()       {}
func (*Convert) isExpr()    {}
func (*Case) isExpr()       {}
func (*In) isExpr()         {}
func (*Between) isExpr()    {}
func (*Like) isExpr()       {}
func (*IsNull) isExpr()     {}
func (*Exists) isExpr()     {}
func (*Subquery) isExpr()   {}
func (*Collate) isExpr()    {}
func (*NextValue) isExpr()  {}
func (*Method) isExpr()     {}
func (*Quantified) isExpr() {}
func (*Word) isExpr()       {}
func (*AtZone) isExpr()     {}

// TypeName is a type as it is written: its name, and what stands in brackets, "max"
// among it.
type TypeName struct {
	Name []string
	Args []string
	Pos  int
}

// Query is a SELECT with all that belongs to it.
type Query struct {
	With    []CTE
	First   *Select
	Rest    []SetOp
	Order   []OrderItem
	Offset  Expr
	Fetch   Expr
	For     string // FOR XML or FOR JSON, as it is written
	Options string
}

// CTE is one WITH.
type CTE struct {
	Name    string
	Columns []string
	Query   *Query
}

// SetOp joins another SELECT on: UNION, UNION ALL, EXCEPT, INTERSECT.
type SetOp struct {
	Op     string
	Select *Select
}

// Select is one SELECT.
type Select struct {
	Distinct bool
	Top      Expr
	Percent  bool
	Ties     bool
	Items    []Item
	Into     []string
	From     []From
	Where    Expr
	Group    []Expr // ROLLUP, CUBE and GROUPING SETS are calls
	Having   Expr
	Windows  []Window
	Nested   *Query // a query in brackets
	Values   [][]Expr
}

// Window is a window that a SELECT gives a name.
type Window struct {
	Name string
	Over *Over
}

// Item is one column of a SELECT. Var is the variable that it is assigned to.
type Item struct {
	X     Expr
	Alias string
	Var   string
}

// OrderItem is one of ORDER BY.
type OrderItem struct {
	X    Expr
	Desc bool
}

// From is a table, a query, a function, or a join of two.
type From struct {
	Name  []string
	Call  *Call
	Query *Query
	Alias string
	Cols  []string
	Hints []string
	Time  *SystemTime
	// Columns are those of OPENJSON … WITH and OPENXML … WITH.
	Columns []Column
	Pivot   *Pivot
	Pos     int
	// Join is INNER, LEFT, RIGHT, FULL, CROSS, CROSS APPLY or OUTER APPLY.
	Join string
	L, R *From
	On   Expr
}

// Pivot turns rows into columns, or with Un columns into rows: For is the column of names
// and In the names; Value is, of Un, the column of values.
type Pivot struct {
	Un    bool
	Agg   *Call
	Value string
	For   []string
	In    []string
	Of    *From
}

// SystemTime is FOR SYSTEM_TIME of a table: ALL, AS OF, FROM, BETWEEN or CONTAINED IN.
type SystemTime struct {
	How  string
	A, B Expr
}

// Walk hands on an expression and all in it, queries too.
func Walk(x Expr, f func(Expr)) {
	if x == nil {
		return
	}
	f(x)
	for _, p := range Parts(x) {
		Walk(p, f)
	}
	switch x := x.(type) {
	case *In:
		WalkQuery(x.Query, f, nil)
	case *Exists:
		WalkQuery(x.Query, f, nil)
	case *Subquery:
		WalkQuery(x.Query, f, nil)
	case *Quantified:
		WalkQuery(x.Query, f, nil)
	}
}

// Parts are the expressions that one is made of, without those of queries within.
func Parts(x Expr) []Expr {
	var out []Expr
	switch x := x.(type) {
	case *Unary:
		out = []Expr{x.X}
	case *Binary:
		out = []Expr{x.L, x.R}
	case *Call:
		out = slices.Concat(x.Args, ordered(x.Within))
		if x.Over != nil {
			out = slices.Concat(out, x.Over.Partition, ordered(x.Over.Order))
		}
	case *Convert:
		out = []Expr{x.X, x.Style, x.Culture}
	case *Case:
		out = append(out, x.Operand)
		for _, w := range x.Whens {
			out = append(out, w.If, w.Then)
		}
		out = append(out, x.Else)
	case *In:
		out = append([]Expr{x.X}, x.List...)
	case *Between:
		out = []Expr{x.X, x.Low, x.High}
	case *Like:
		out = []Expr{x.X, x.Pattern, x.Escape}
	case *IsNull:
		out = []Expr{x.X}
	case *Collate:
		out = []Expr{x.X}
	case *Method:
		out = append([]Expr{x.X}, x.Args...)
	case *AtZone:
		out = []Expr{x.X, x.Zone}
	case *Quantified:
		out = []Expr{x.X}
	}
	return slices.DeleteFunc(out, func(e Expr) bool { return e == nil })
}

func ordered(items []OrderItem) []Expr {
	var out []Expr
	for _, o := range items {
		out = append(out, o.X)
	}
	return out
}

// WalkQuery hands on all expressions of a query, and the tables it reads, where
// from is not nil.
func WalkQuery(q *Query, f func(Expr), from func(*From)) {
	if q == nil {
		return
	}
	for _, c := range q.With {
		WalkQuery(c.Query, f, from)
	}
	WalkSelect(q.First, f, from)
	for _, r := range q.Rest {
		WalkSelect(r.Select, f, from)
	}
	for _, o := range q.Order {
		walkDeep(o.X, f, from)
	}
	walkDeep(q.Offset, f, from)
	walkDeep(q.Fetch, f, from)
}

// walkDeep is Walk that tells of tables in queries within.
func walkDeep(x Expr, f func(Expr), from func(*From)) {
	if x == nil {
		return
	}
	if from == nil {
		Walk(x, f)
		return
	}
	Walk(x, func(e Expr) {
		f(e)
		switch e := e.(type) {
		case *In:
			WalkQuery(e.Query, func(Expr) {}, from)
		case *Exists:
			WalkQuery(e.Query, func(Expr) {}, from)
		case *Subquery:
			WalkQuery(e.Query, func(Expr) {}, from)
		case *Quantified:
			WalkQuery(e.Query, func(Expr) {}, from)
		}
	})
}

// WalkSelect is WalkQuery of one SELECT.
func WalkSelect(s *Select, f func(Expr), from func(*From)) {
	if s == nil {
		return
	}
	WalkQuery(s.Nested, f, from)
	for _, row := range s.Values {
		for _, x := range row {
			walkDeep(x, f, from)
		}
	}
	walkDeep(s.Top, f, from)
	for _, it := range s.Items {
		walkDeep(it.X, f, from)
	}
	for i := range s.From {
		walkFrom(&s.From[i], f, from)
	}
	walkDeep(s.Where, f, from)
	for _, g := range s.Group {
		walkDeep(g, f, from)
	}
	walkDeep(s.Having, f, from)
}

func walkFrom(t *From, f func(Expr), from func(*From)) {
	if t == nil {
		return
	}
	if from != nil {
		from(t)
	}
	if t.Call != nil {
		walkDeep(t.Call, f, from)
	}
	WalkQuery(t.Query, f, from)
	if t.Pivot != nil {
		walkFrom(t.Pivot.Of, f, from)
	}
	walkFrom(t.L, f, from)
	walkFrom(t.R, f, from)
	walkDeep(t.On, f, from)
}
