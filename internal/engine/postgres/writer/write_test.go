package writer

import (
	"slices"
	"strings"
	"testing"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/choose"
	"dappermirror/internal/core/compare"
	"dappermirror/internal/core/order"
	"dappermirror/internal/engine/postgres/vocab"
)

var withoutSchema = []catalog.Kind{kindPublication, vocab.Wrapper, vocab.ForeignServer, vocab.Subscription, vocab.UserMapping, vocab.Extension}

// object makes an object of a small notation: "name=text", "*name=a|b" for a
// set, "-name=a|b" for a list that is carried.
func object(kind catalog.Kind, name string, facts ...string) *catalog.Object {
	o := &catalog.Object{Kind: kind, Schema: "h", Name: name}
	if slices.Contains(withoutSchema, kind) {
		o.Schema = ""
	}
	for _, f := range facts {
		n, v, _ := strings.Cut(f, "=")
		switch {
		case strings.HasPrefix(n, "*"):
			o.Set(n[1:], catalog.SetOf(strings.Split(v, "|")...))
		case strings.HasPrefix(n, "-"):
			o.Carry(n[1:], catalog.List(strings.Split(v, "|")...))
		default:
			o.Set(n, catalog.Scalar(v))
		}
	}
	return o
}

// planned plans the way from one object to another, all losses allowed.
func planned(t *testing.T, version string, source, target *catalog.Object) *order.Plan {
	t.Helper()
	x, y := &catalog.Catalog{Engine: "postgres", Version: version}, &catalog.Catalog{Engine: "postgres", Version: version}
	if source != nil {
		x.Add(source)
	}
	if target != nil {
		y.Add(target)
	}
	p, err := order.Build(choose.All(compare.Compare(x, y, compare.Options{})), &Writer{}, func(order.Risk) bool { return true })
	if err != nil {
		t.Fatal(err)
	}
	return p
}

func sqlOf(p *order.Plan) string {
	var out []string
	for _, s := range p.Steps {
		out = append(out, s.SQL...)
	}
	return strings.Join(out, "\n")
}

// TestInPlace: what PostgreSQL can change without dropping is changed so.
func TestInPlace(t *testing.T) {
	for _, c := range []struct {
		name           string
		source, target *catalog.Object
		want           string
	}{
		{"a publication's tables", object(kindPublication, "p", "*tables=TABLE ONLY h.a|TABLES IN SCHEMA h", "operations=insert"), object(kindPublication, "p", "*tables=TABLE ONLY h.b", "operations=insert"),
			"ALTER PUBLICATION p SET TABLE ONLY h.a, TABLES IN SCHEMA h;"},
		{"a publication's options", object(kindPublication, "p", "*tables=TABLE h.a", "operations=insert, update", "through the root=yes"), object(kindPublication, "p", "*tables=TABLE h.a", "operations=insert"),
			"ALTER PUBLICATION p SET (publish_via_partition_root = true, publish = 'insert, update');"},
		{"a publication of all tables is another one", object(kindPublication, "p", "all tables=yes", "operations=insert"), object(kindPublication, "p", "*tables=TABLE h.a", "operations=insert"),
			"DROP PUBLICATION p;\nCREATE PUBLICATION p FOR ALL TABLES WITH (publish = 'insert');"},
		{"a server", object(vocab.ForeignServer, "far", "wrapper=w", "version=2", "*options=host=b|port=1"), object(vocab.ForeignServer, "far", "wrapper=w", "version=1", "*options=dbname=x|host=a"),
			"ALTER SERVER far VERSION '2' OPTIONS (SET host 'b', ADD port '1', DROP dbname);"},
		{"a wrapper", object(vocab.Wrapper, "w", "validator=h.v"), object(vocab.Wrapper, "w", "handler=h.f"), "ALTER FOREIGN DATA WRAPPER w NO HANDLER VALIDATOR h.v;"},
		{"an extension", object(vocab.Extension, "ltree", "version=1.2", "schema=h"), object(vocab.Extension, "ltree", "version=1.1", "schema=public"),
			"ALTER EXTENSION ltree UPDATE TO '1.2';\nALTER EXTENSION ltree SET SCHEMA h;"},
		{"a subscription", object(vocab.Subscription, "s", "-written publications=one|Two", "*publications=one|Two", "binary=yes"), object(vocab.Subscription, "s", "*publications=one"),
			"ALTER SUBSCRIPTION s SET PUBLICATION one, \"Two\" WITH (refresh = false);\nALTER SUBSCRIPTION s SET (binary = true);"},
		{"a subscription goes", nil, object(vocab.Subscription, "s", "*publications=one"), "ALTER SUBSCRIPTION s DISABLE;\nALTER SUBSCRIPTION s SET (slot_name = NONE);\nDROP SUBSCRIPTION s;"},
		{"labels", object(catalog.Sequence, "s", "type=bigint", "*security labels=lock o'pen"), object(catalog.Sequence, "s", "type=bigint", "*security labels=lock shut|door x"),
			"SECURITY LABEL FOR lock ON SEQUENCE h.s IS 'o''pen';\nSECURITY LABEL FOR door ON SEQUENCE h.s IS NULL;"},
		{"a view's defaults", object(catalog.View, "v", "*column defaults=a 1|b 2", "-columns=a integer|c integer"), object(catalog.View, "v", "*column defaults=a 3|c 4", "-columns=a integer|c integer"),
			"ALTER VIEW h.v ALTER COLUMN a SET DEFAULT 1;\nALTER VIEW h.v ALTER COLUMN b SET DEFAULT 2;\nALTER VIEW h.v ALTER COLUMN c DROP DEFAULT;"},
		{"a typed table is freed", object(catalog.Table, "t"), object(catalog.Table, "t", "of type=h.position"), "ALTER TABLE h.t NOT OF;"},
		{"a foreign table's options", object(vocab.ForeignTable, "f", "server=far", "*options=a=1"), object(vocab.ForeignTable, "f", "server=far"), "ALTER TABLE h.f OPTIONS (ADD a '1');"},
	} {
		if got := sqlOf(planned(t, "16.1", c.source, c.target)); got != c.want {
			t.Errorf("%s:\n got %s\nwant %s", c.name, got, c.want)
		}
	}
}

func table(columns ...*catalog.Object) *catalog.Object {
	o := object(catalog.Table, "berth")
	for _, c := range columns {
		c.Schema = ""
		o.Add(c)
	}
	return o
}

// TestColumnRisks: what a step on a column costs, as the server's version has
// it.
func TestColumnRisks(t *testing.T) {
	col := func(facts ...string) *catalog.Object { return object(catalog.Column, "c", facts...) }
	checked := func(o *catalog.Object, valid bool) *catalog.Object {
		k := &catalog.Object{Kind: catalog.Check, Name: "k"}
		k.Set("definition", catalog.PlainSQL("CHECK ((c IS NOT NULL))"))
		k.SetIf("not valid", !valid)
		o.Add(k)
		return o
	}
	for _, c := range []struct {
		name           string
		version        string
		source, target *catalog.Object
		sql, risks     string
	}{
		{"a constant default", "15", table(col("type=integer", "default=7")), table(), "ADD COLUMN c integer DEFAULT 7", ""},
		{"a default noted once", "15", table(col("type=date", "default=now()")), table(), "ADD COLUMN c date DEFAULT now()", ""},
		{"a default for every row", "15", table(col("type=uuid", "default=gen_random_uuid()")), table(), "ADD COLUMN", "rewrite"},
		{"a routine nobody knows", "15", table(col("type=uuid", "default=h.make()")), table(), "ADD COLUMN", "rewrite"},
		{"a cast is no call", "15", table(col("type=h.state", "default='a'::h.state")), table(), "ADD COLUMN", ""},
		{"a stored column", "15", table(col("type=integer", "generated=stored", "expression=1")), table(), "GENERATED ALWAYS AS (1) STORED", "rewrite"},
		{"a virtual one", "18", table(col("type=integer", "generated=virtual", "expression=1")), table(), "GENERATED ALWAYS AS (1) VIRTUAL", ""},
		{"NOT NULL", "15", table(col("type=integer", "not null=yes")), table(col("type=integer")), "SET NOT NULL", "may-fail lock"},
		{"NOT NULL that a check proves", "15", table(col("type=integer", "not null=yes")), checked(table(col("type=integer")), true), "SET NOT NULL", ""},
		{"NOT NULL that a check does not prove", "15", table(col("type=integer", "not null=yes")), checked(table(col("type=integer")), false), "SET NOT NULL", "may-fail lock"},
		{"NOT NULL under a name", "18", table(col("type=integer", "not null=yes", "not null name=n")), table(col("type=integer")), "ADD CONSTRAINT n NOT NULL c", "may-fail lock"},
		{"NOT NULL not looked at", "18", table(col("type=integer", "not null=yes", "not null not valid=yes")), table(col("type=integer")), "ADD CONSTRAINT berth_c_not_null NOT NULL c NOT VALID", ""},
		{"another expression", "17.2", table(col("type=integer", "generated=stored", "expression=1")), table(col("type=integer", "generated=stored", "expression=2")), "SET EXPRESSION AS (1)", "rewrite"},
		{"another expression, before 17", "16.2", table(col("type=integer", "generated=stored", "expression=1")), table(col("type=integer", "generated=stored", "expression=2")), "DROP COLUMN c", "rewrite"},
	} {
		p := planned(t, c.version, c.source, c.target)
		var risks []string
		for _, s := range p.Steps {
			for _, r := range s.Risks {
				risks = append(risks, string(r.Kind))
			}
		}
		if got := sqlOf(p); !strings.Contains(got, c.sql) || strings.Join(risks, " ") != c.risks {
			t.Errorf("%s: %s\nrisks %v, want %q", c.name, got, risks, c.risks)
		}
	}
}

// TestSteadyRoutines: a routine is as steady as its declaration.
func TestSteadyRoutines(t *testing.T) {
	cat := &catalog.Catalog{}
	for name, head := range map[string]string{"fixed(integer)": " IMMUTABLE STRICT", "wild()": "", "both()": " STABLE", "both(integer)": ""} {
		o := object(catalog.Routine, name)
		base, _, _ := strings.Cut(name, "(")
		o.Carry("routine name", catalog.Scalar(base))
		o.Set("definition", catalog.PlainSQL("CREATE FUNCTION h."+name+"\n LANGUAGE sql\n"+head+"\nAS $$ IMMUTABLE $$"))
		cat.Add(o)
	}
	for name, want := range map[string]bool{"fixed": true, "wild": false, "both": false, "unknown": false} {
		if got := steadyRoutine(cat, "h", name); got != want {
			t.Errorf("%s: %v", name, got)
		}
	}
}

// TestRecast: which changes of partitioning make a table anew, and that its
// rows and its counter come along.
func TestRecast(t *testing.T) {
	tide := func(by, typ string) *catalog.Object {
		o := table(object(catalog.Column, "id", "type="+typ), object(catalog.Column, "no", "type=bigint", "identity=always", "identity sequence name=h.berth_no_seq"))
		o.SetText("partition by", by)
		return o
	}
	for _, c := range []struct {
		name           string
		source, target *catalog.Object
		want           bool
	}{
		{"the key's type", tide("RANGE (id)", "bigint"), tide("RANGE (id)", "integer"), true}, {"how", tide("HASH (id)", "integer"), tide("RANGE (id)", "integer"), true},
		{"at all", tide("RANGE (id)", "integer"), tide("", "integer"), true}, {"no longer", tide("", "integer"), tide("RANGE (id)", "integer"), true},
		{"another column's type", tide("RANGE (no)", "bigint"), tide("RANGE (no)", "integer"), false}, {"a plain table", tide("", "bigint"), tide("", "integer"), false},
	} {
		sql := sqlOf(planned(t, "15", c.source, c.target))
		if got := strings.Contains(sql, "LOCK TABLE h.berth IN ACCESS EXCLUSIVE MODE;\nCREATE TEMPORARY TABLE dapper_mirror_rows_of_berth_74797cae ON COMMIT DROP AS SELECT * FROM "); got != c.want {
			t.Errorf("%s: %s", c.name, sql)
		}
		if c.want && (!strings.Contains(sql, "INSERT INTO h.berth (id, no) OVERRIDING SYSTEM VALUE") || strings.Index(sql, "DROP TABLE") > strings.Index(sql, "INSERT INTO") || !strings.Contains(sql, "setval(")) {
			t.Errorf("%s: the rows do not come back:\n%s", c.name, sql)
		}
	}
}

// TestKindsAreKnown: every kind that can be written is in the help.
func TestKindsAreKnown(t *testing.T) {
	listed := map[catalog.Kind]bool{}
	for _, k := range vocab.Kinds.List {
		if listed[k.Kind] {
			t.Errorf("%s is listed twice", k.Kind)
		}
		listed[k.Kind] = true
	}
	for k := range kinds {
		if !listed[k] {
			t.Errorf("%s is not in the help", k)
		}
	}
}
