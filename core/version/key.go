package version

import (
	"encoding/binary"
	"strings"
)

// A key is the concatenation of
//
//	epoch number, release numbers without trailing zeros, end,
//	pre segment, post segment, dev segment, local segment
//
// A number is one byte, its count of digits plus numberBase (or longNumber
// and eight bytes of count), and the digits; so a larger number has the larger
// encoding, and every number sorts after end. Segments begin with a byte that
// orders "absent" and "present" as the standard does. The byte 0xff stands in
// no key: appended to a prefix it cuts after everything with that prefix.
const (
	end        = "\x01"
	after      = "\xff"
	numberBase = 2
	longNumber = 0xfe

	preDevOnly = "\x02" // 1.0.dev1 comes before 1.0a1
	preNone    = "\x06"
	postNone   = "\x02"
	postSome   = "\x03"
	devSome    = "\x02"
	devNone    = "\x03"
	localNone  = "\x02"
	localSome  = "\x03"
	localWord  = "\x02"
	localNum   = "\x03"
)

var preByte = map[string]string{"a": "\x03", "b": "\x04", "rc": "\x05"}

func appendNumber(key []byte, digits string) []byte {
	if digits == "0" {
		return append(key, numberBase)
	}
	if n := len(digits) + numberBase; n < longNumber {
		return append(append(key, byte(n)), digits...)
	}
	key = binary.BigEndian.AppendUint64(append(key, longNumber), uint64(len(digits)))
	return append(key, digits...)
}

// releaseKey is the part of the key up to and with end: the smallest key of
// any version with this epoch and release.
func releaseKey(epoch string, release []string) string {
	return string(appendRelease(nil, epoch, release))
}

func appendRelease(key []byte, epoch string, release []string) []byte {
	n := len(release)
	for n > 0 && release[n-1] == "0" {
		n--
	}
	key = appendNumber(key, epoch)
	for _, part := range release[:n] {
		key = appendNumber(key, part)
	}
	return append(key, end...)
}

// setKey makes the key, and notes where its parts end.
func (v *Version) setKey() {
	key := appendRelease(make([]byte, 0, 32), v.epoch, v.release)
	v.releaseEnd = len(key)
	switch {
	case v.pre != "":
		key = appendNumber(append(key, preByte[v.pre]...), v.preN)
	case v.hasDev && !v.hasPost:
		key = append(key, preDevOnly...)
	default:
		key = append(key, preNone...)
	}
	v.phaseEnd = len(key)
	if v.hasPost {
		key = appendNumber(append(key, postSome...), v.post)
	} else {
		key = append(key, postNone...)
	}
	if v.hasDev {
		key = appendNumber(append(key, devSome...), v.dev)
	} else {
		key = append(key, devNone...)
	}
	v.publicEnd = len(key)
	v.key = string(appendLocal(key, v.local))
}

// releaseKey is [releaseKey] of a version, phaseKey the key through the pre segment.
func (v Version) releaseKey() string { return v.key[:v.releaseEnd] }
func (v Version) phaseKey() string   { return v.key[:v.phaseEnd] }

// publicKey is the key without the local segment: a prefix of the keys of v
// and all its local versions, and of no other's.
func (v Version) publicKey() string { return v.key[:v.publicEnd] }

func appendLocal(key []byte, local string) []byte {
	if local == "" {
		return append(key, localNone...)
	}
	key = append(key, localSome...)
	for _, part := range strings.Split(local, ".") {
		if isNumber(part) {
			key = appendNumber(append(key, localNum...), part)
		} else {
			key = append(append(append(key, localWord...), part...), end...)
		}
	}
	return append(key, end...)
}

// increment adds one to a decimal number without leading zeros.
func increment(digits string) string {
	b := []byte(digits)
	for i := len(b) - 1; i >= 0; i-- {
		if b[i] != '9' {
			b[i]++
			return string(b)
		}
		b[i] = '0'
	}
	return "1" + string(b)
}

// finalCut moves a cut down over the pre-releases just below it. Where only
// final versions count both cut alike, and one form for each cut makes equal
// sets have equal intervals.
func finalCut(cut string) string {
	i := 0
	for i < len(cut) && cut[i] >= numberBase && cut[i] < longNumber {
		i += 1 + int(cut[i]) - numberBase
	}
	if i >= len(cut) || cut[i] != end[0] {
		return cut // no bound, or a number too long to be worth the effort
	}
	i++
	const lowestFinal = preNone + postNone + devNone + localNone
	if rest := cut[i:]; rest <= lowestFinal {
		return cut[:i]
	} else if tail, ok := strings.CutPrefix(rest, preNone+postSome); ok && tail != "" {
		j := 1 + int(tail[0]) - numberBase
		if tail[0] < longNumber && j < len(tail) && tail[j:] <= devNone+localNone {
			return cut[:len(cut)-len(tail)+j]
		}
	}
	return cut
}
