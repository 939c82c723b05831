package board

import (
	"encoding/binary"
	"encoding/hex"
	"math"
	"slices"
	"strings"
	"time"

	"dappertally/core/checklist"
	"dappertally/core/reading"
)

// packed is the readings of one review in few bytes, some 40 for each: numbers as written, times as the difference
// from the one before, ids as bytes, and frequent texts as their number in the lexicon. Notes and reasons are stored
// in full.
type packed []byte

// What a reading has in addition to the fields that all have.
const (
	hasRig = 1 << iota
	hasReceived
	hasSystem
	hasContext
	hasAdjustment
	hasDisturbance
	hasReplaces
	hasNote
	isRepeat
	hasBoots
	plainID       // the id is not a UUID
	plainReplaces // the id of the replaced reading is not a UUID
	boundAt       = iota
)

// The kinds of answer.
const (
	nothing = iota
	grade
	check
	runs
	counted
	level
	factText
	factNumber
	factList
	notApplicable
	notTested
)

// The fields of a count.
const (
	hasK = 1 << iota
	hasN
)

// packer writes packed readings.
type packer struct {
	words   *lexicon
	bytes   []byte
	systems []string
	numbers int // for readings that are read again at once
	times   int
}

// pack packs readings, ordered by time, then id.
func (l *lexicon) pack(readings []reading.Reading) packed {
	p := packer{words: l}
	var before int64
	for i := range readings {
		before = p.reading(&readings[i], before)
	}
	body := p.bytes
	p.bytes = nil
	p.count(len(readings))
	p.count(p.numbers)
	p.count(p.times)
	p.count(len(p.systems))
	for _, s := range p.systems {
		p.text(s)
	}
	return packed(slices.Concat(p.bytes, body))
}

func (p *packer) reading(x *reading.Reading, before int64) (at int64) {
	id, plain := asUUID(x.ID)
	replaces, plainly := asUUID(x.Replaces)
	has := uint64(slices.Index(reading.Bounds, x.Bound)) << boundAt
	for _, f := range []struct {
		bit uint64
		has bool
	}{
		{hasRig, x.Rig != ""},
		{hasReceived, x.Received != nil},
		{hasSystem, x.System != ""},
		{hasContext, x.Context != checklist.Context{}},
		{hasAdjustment, x.Adjustment != nil},
		{hasDisturbance, x.Disturbance != ""},
		{hasReplaces, x.Replaces != ""},
		{hasNote, x.Note != ""},
		{isRepeat, x.Repeat},
		{hasBoots, len(x.Boots) > 0},
		{plainID, plain},
		{plainReplaces, plainly && x.Replaces != ""},
	} {
		if f.has {
			has |= f.bit
		}
	}
	p.bytes = binary.AppendUvarint(p.bytes, has)
	p.id(x.ID, id, plain)
	p.word(x.Criterion)
	p.word(x.Reviewer)
	at = x.At.UnixMicro()
	p.bytes = binary.AppendVarint(p.bytes, at-before)
	if x.Rig != "" {
		p.word(x.Rig)
	}
	if x.Received != nil {
		p.bytes = binary.AppendVarint(p.bytes, x.Received.UnixMicro()-at)
		p.times++
	}
	if x.System != "" {
		n := slices.Index(p.systems, x.System)
		if n < 0 {
			n = len(p.systems)
			p.systems = append(p.systems, x.System)
		}
		p.count(n)
	}
	if has&hasContext != 0 {
		p.word(x.Context.Method)
		p.word(x.Context.Setup)
		p.word(x.Context.Phase)
	}
	if x.Adjustment != nil {
		p.putFloat(x.Adjustment.Amount)
		p.text(x.Adjustment.Reason)
	}
	if x.Disturbance != "" {
		p.text(x.Disturbance)
	}
	if x.Replaces != "" {
		p.id(x.Replaces, replaces, plainly)
	}
	if x.Note != "" {
		p.text(x.Note)
	}
	if len(x.Boots) > 0 {
		p.count(len(x.Boots))
		for _, b := range x.Boots {
			p.word(b.ID)
			p.count(b.Runs)
		}
	}
	p.answer(&x.Answer)
	return at
}

func (p *packer) answer(a *reading.Answer) {
	sort := func(s byte) { p.bytes = append(p.bytes, s) }
	switch {
	case a.Grade != nil:
		sort(grade)
		p.putFloat(*a.Grade)
		p.numbers++
	case a.Check != "":
		sort(check)
		p.word(a.Check)
	case a.Runs != nil:
		sort(runs)
		p.count(len(a.Runs))
		for _, x := range a.Runs {
			p.putFloat(x)
		}
		p.numbers += len(a.Runs)
	case a.Count != nil:
		sort(counted)
		p.counted(a.Count)
	case a.Level != "":
		sort(level)
		p.word(a.Level)
	case a.Fact != nil:
		p.fact(a.Fact)
	case a.NotApplicable != "":
		sort(notApplicable)
		p.text(a.NotApplicable)
	case a.NotTested != "":
		sort(notTested)
		p.text(a.NotTested)
	default:
		sort(nothing)
	}
}

func (p *packer) counted(c *reading.Count) {
	var has byte
	if c.K != nil {
		has |= hasK
	}
	if c.N != nil {
		has |= hasN
	}
	p.bytes = append(p.bytes, has)
	for _, n := range []*int{c.K, c.N} {
		if n != nil {
			p.bytes = binary.AppendVarint(p.bytes, int64(*n))
		}
	}
	for _, items := range [][]string{c.Worked, c.Workaround, c.Failed, c.NotTested} {
		p.count(len(items))
		for _, x := range items {
			p.word(x)
		}
	}
}

func (p *packer) fact(f *reading.Fact) {
	switch f.Sort {
	case reading.FactText:
		p.bytes = append(p.bytes, factText)
		p.text(f.Text)
	case reading.FactNumber:
		p.bytes = append(p.bytes, factNumber)
		p.putFloat(f.Number)
	case reading.FactList:
		p.bytes = append(p.bytes, factList)
		p.count(len(f.List))
		for _, x := range f.List {
			p.text(x)
		}
	}
}

func (p *packer) count(n int)      { p.bytes = binary.AppendUvarint(p.bytes, uint64(n)) }
func (p *packer) word(text string) { p.bytes = binary.AppendUvarint(p.bytes, p.words.numberOf(text)) }

func (p *packer) text(text string) {
	p.count(len(text))
	p.bytes = append(p.bytes, text...)
}

func (p *packer) id(text string, id [16]byte, plain bool) {
	if plain {
		p.text(text)
	} else {
		p.bytes = append(p.bytes, id[:]...)
	}
}

// inFull marks a number that is stored with all its bits. Less is the number of decimals of one that is stored as an
// integer.
const (
	inFull       = 0xff
	mostDecimals = 9
)

// putFloat writes most numbers, which people or clocks wrote with a few decimals, as an integer and the number of
// decimals. Reading gives exactly the same number.
func (p *packer) putFloat(x float64) {
	scaled := x
	for decimals := range mostDecimals + 1 {
		if whole := math.Round(scaled); math.Abs(whole) < 1<<52 && whole/powers[decimals] == x && !negativeZero(x) {
			p.bytes = append(p.bytes, byte(decimals))
			p.bytes = binary.AppendVarint(p.bytes, int64(whole))
			return
		}
		scaled = x * powers[min(decimals+1, mostDecimals)]
	}
	p.bytes = append(p.bytes, inFull)
	p.bytes = binary.LittleEndian.AppendUint64(p.bytes, math.Float64bits(x))
}

func negativeZero(x float64) bool { return x == 0 && math.Signbit(x) }

var powers = [mostDecimals + 1]float64{1, 1e1, 1e2, 1e3, 1e4, 1e5, 1e6, 1e7, 1e8, 1e9}

// asUUID returns the bytes of an id; plain is true if it is not a UUID in lower case.
func asUUID(text string) (id [16]byte, plain bool) {
	if len(text) != 36 || text[8] != '-' || text[13] != '-' || text[18] != '-' || text[23] != '-' {
		return id, true
	}
	from, to := 0, 0
	for _, digits := range [...]int{8, 4, 4, 4, 12} {
		n, err := hex.Decode(id[to:], []byte(text[from:from+digits]))
		if err != nil {
			return id, true
		}
		from, to = from+digits+1, to+n
	}
	for i := range len(text) {
		if c := text[i]; c >= 'A' && c <= 'F' {
			return id, true
		}
	}
	return id, false
}

// unpacker reads packed readings, which this program wrote and which are therefore valid.
type unpacker struct {
	words   []string
	bytes   []byte
	systems []string
	numbers []float64 // memory for
	times   []time.Time
	ids     strings.Builder // all texts of ids
}

// unpack returns the readings that were packed. In room they are valid until it is used again.
func (l *lexicon) unpack(from packed, room *reading.Room) []reading.Reading {
	if room == nil {
		room = &reading.Room{}
	}
	u := unpacker{words: l.all(), bytes: from}
	n := u.count()
	numbers, times := u.count(), u.count()
	if systems := u.count(); systems > 0 {
		u.systems = make([]string, systems)
		for i := range u.systems {
			u.systems[i] = u.text()
		}
	}
	var readings []reading.Reading
	readings, u.numbers, u.times = room.Of(n, numbers, times)
	u.ids.Grow(idLength * n)
	var at int64
	for i := range readings {
		at = u.reading(&readings[i], at)
	}
	return readings
}

func (u *unpacker) reading(x *reading.Reading, before int64) (at int64) {
	has := u.uvarint()
	x.ID = u.id(has&plainID != 0)
	x.Criterion, x.Reviewer = u.word(), u.word()
	at = before + u.varint()
	x.At = time.UnixMicro(at).UTC()
	if has&hasRig != 0 {
		x.Rig = u.word()
	}
	if has&hasReceived != 0 {
		u.times = append(u.times, time.UnixMicro(at+u.varint()).UTC())
		x.Received = &u.times[len(u.times)-1]
	}
	if has&hasSystem != 0 {
		x.System = u.systems[u.count()]
	}
	if has&hasContext != 0 {
		x.Context = checklist.Context{Method: u.word(), Setup: u.word(), Phase: u.word()}
	}
	if has&hasAdjustment != 0 {
		x.Adjustment = &reading.Adjustment{Amount: u.getFloat(), Reason: u.text()}
	}
	if has&hasDisturbance != 0 {
		x.Disturbance = u.text()
	}
	if has&hasReplaces != 0 {
		x.Replaces = u.id(has&plainReplaces != 0)
	}
	if has&hasNote != 0 {
		x.Note = u.text()
	}
	x.Repeat = has&isRepeat != 0
	if has&hasBoots != 0 {
		x.Boots = make([]reading.Boot, u.count())
		for i := range x.Boots {
			x.Boots[i] = reading.Boot{ID: u.word(), Runs: u.count()}
		}
	}
	x.Bound = reading.Bounds[has>>boundAt]
	u.answer(&x.Answer)
	return at
}

func (u *unpacker) answer(a *reading.Answer) {
	sort := u.bytes[0]
	u.bytes = u.bytes[1:]
	switch sort {
	case grade:
		u.numbers = append(u.numbers, u.getFloat())
		a.Grade = &u.numbers[len(u.numbers)-1]
	case check:
		a.Check = u.word()
	case runs:
		from := len(u.numbers)
		for range u.count() {
			u.numbers = append(u.numbers, u.getFloat())
		}
		a.Runs = u.numbers[from:len(u.numbers):len(u.numbers)]
	case counted:
		a.Count = u.counted()
	case level:
		a.Level = u.word()
	case factText:
		a.Fact = &reading.Fact{Sort: reading.FactText, Text: u.text()}
	case factNumber:
		a.Fact = &reading.Fact{Sort: reading.FactNumber, Number: u.getFloat()}
	case factList:
		a.Fact = &reading.Fact{Sort: reading.FactList, List: u.list(u.text)}
	case notApplicable:
		a.NotApplicable = u.text()
	case notTested:
		a.NotTested = u.text()
	}
}

func (u *unpacker) counted() *reading.Count {
	c := &reading.Count{}
	has := u.bytes[0]
	u.bytes = u.bytes[1:]
	if has&hasK != 0 {
		c.K = new(int(u.varint()))
	}
	if has&hasN != 0 {
		c.N = new(int(u.varint()))
	}
	for _, items := range []*[]string{&c.Worked, &c.Workaround, &c.Failed, &c.NotTested} {
		*items = u.list(u.word)
	}
	return c
}

// list reads a list of texts; nil if it is empty.
func (u *unpacker) list(one func() string) []string {
	n := u.count()
	if n == 0 {
		return nil
	}
	all := make([]string, n)
	for i := range all {
		all[i] = one()
	}
	return all
}

func (u *unpacker) uvarint() uint64 {
	x, n := binary.Uvarint(u.bytes)
	u.bytes = u.bytes[n:]
	return x
}

func (u *unpacker) varint() int64 {
	x, n := binary.Varint(u.bytes)
	u.bytes = u.bytes[n:]
	return x
}

func (u *unpacker) count() int   { return int(u.uvarint()) }
func (u *unpacker) word() string { return u.words[u.uvarint()] }

func (u *unpacker) text() string {
	n := u.count()
	text := string(u.bytes[:n])
	u.bytes = u.bytes[n:]
	return text
}

func (u *unpacker) getFloat() float64 {
	decimals := u.bytes[0]
	u.bytes = u.bytes[1:]
	if decimals == inFull {
		x := math.Float64frombits(binary.LittleEndian.Uint64(u.bytes))
		u.bytes = u.bytes[8:]
		return x
	}
	return float64(u.varint()) / powers[decimals]
}

// idLength is how long the text of an id is.
const idLength = 36

func (u *unpacker) id(plain bool) string {
	if plain {
		return u.text()
	}
	id := u.bytes[:16]
	u.bytes = u.bytes[16:]
	var text [idLength]byte
	from, to := 0, 0
	for _, digits := range [...]int{8, 4, 4, 4, 12} {
		if to > 0 {
			text[to] = '-'
			to++
		}
		to += hex.Encode(text[to:], id[from:from+digits/2])
		from += digits / 2
	}
	_, _ = u.ids.Write(text[:]) // it never fails
	return u.ids.String()[u.ids.Len()-len(text):]
}
