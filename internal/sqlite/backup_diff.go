package sqlite

import (
	"bufio"
	"bytes"
	"context"
	"crypto/hmac"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"hash"
	"io"
	"os"
	"path/filepath"
	"time"

	"filippo.io/age"
	"github.com/klauspost/compress/zstd"
)

// A backup that is made before each publishing holds the blocks of the database that are not those of a whole backup of
// the same day, its base. Each needs its base and nothing else: there are no chains. The sums of the base's blocks
// stand beside it; they are keyed where backups are encrypted.

// blockSize is what is compared and kept: sixteen pages.
const blockSize = 64 << 10

// sumsSuffix is of the file of a base's sums.
const sumsSuffix = ".sums"

// diffHead is what stands in front of the blocks of a backup that has a base, as a line of JSON.
type diffHead struct {
	Size   int64  `json:"size"`   // of the database
	Sum    string `json:"sum"`    // SHA-256 of the database, in hexadecimal
	Blocks []int  `json:"blocks"` // which blocks follow; all but the last are whole
}

// BackupChanges is [DB.Backup] for one that is made often: it keeps what has changed since the first of the day.
func (db *DB) BackupChanges(ctx context.Context, why string) error {
	release, err := db.alone(ctx)
	if err != nil {
		return err
	}
	defer release()
	dir, list, identity, err := db.backupsSoFar()
	if err != nil {
		return err
	}
	base, sums, ok := baseOf(dir, list, identity != nil, time.Now().UTC())
	if !ok {
		return db.backup(ctx, why, true)
	}
	raw := filepath.Join(dir, fmt.Sprintf("changes-%d.raw.part", time.Now().UnixNano()))
	defer os.Remove(raw)
	if err := db.copyTo(ctx, raw); err != nil {
		return err
	}
	in, err := os.Open(raw)
	if err != nil {
		return err
	}
	defer in.Close()
	head, err := unlike(in, sums, blockSum(identity))
	if err != nil {
		return err
	}
	if len(head.Blocks)*2 > len(sums)/sha256.Size+2 {
		return db.backup(ctx, why, true) // the base has little of it
	}
	name := nextName(dir, list, fmt.Sprintf("%s.on-%06d.db.diff.zst", why, base.number), identity)
	defer os.Remove(name + ".part")
	if err := writeDiff(in, head, name+".part", identity); err != nil {
		return err
	}
	if err := os.Rename(name+".part", name); err != nil {
		return err
	}
	return errors.Join(syncFolder(dir), thin(dir, time.Now().UTC()))
}

// nextName is the path of the next backup.
func nextName(dir string, list []backup, rest string, identity *age.X25519Identity) string {
	number := int64(1)
	for _, b := range list {
		number = max(number, b.number+1)
	}
	name := fmt.Sprintf("%06d-%s-%s", number, time.Now().UTC().Format(stampFormat), rest)
	if identity != nil {
		name += ".age"
	}
	return filepath.Join(dir, name)
}

// baseOf finds the newest whole backup of a day that has sums beside it and is encrypted or not as the next one will
// be.
func baseOf(dir string, list []backup, encrypted bool, now time.Time) (base backup, sums []byte, ok bool) {
	for i := len(list) - 1; i >= 0; i-- {
		b := list[i]
		if b.on != 0 || b.at.Format(time.DateOnly) != now.Format(time.DateOnly) || b.encrypted != encrypted {
			continue
		}
		sums, err := os.ReadFile(filepath.Join(dir, b.name+sumsSuffix))
		if err == nil && len(sums)%sha256.Size == 0 {
			return b, sums, true
		}
	}
	return base, nil, false
}

// blockSum gives what blocks are summed with.
func blockSum(identity *age.X25519Identity) func() hash.Hash {
	if identity == nil {
		return sha256.New
	}
	key := sha256.Sum256([]byte("sums of blocks " + identity.String()))
	return func() hash.Hash { return hmac.New(sha256.New, key[:]) }
}

// eachBlock calls do with every block of a file.
func eachBlock(in io.ReadSeeker, do func(i int, block []byte) error) error {
	if _, err := in.Seek(0, io.SeekStart); err != nil {
		return err
	}
	block := make([]byte, blockSize)
	for i := 0; ; i++ {
		n, err := io.ReadFull(in, block)
		if errors.Is(err, io.EOF) {
			return nil
		}
		if err != nil && !errors.Is(err, io.ErrUnexpectedEOF) {
			return err
		}
		if err := do(i, block[:n]); err != nil {
			return err
		}
	}
}

// blockSums are the sums of a file's blocks, one behind the other.
func blockSums(in io.ReadSeeker, sum func() hash.Hash) (sums []byte, err error) {
	h := sum()
	err = eachBlock(in, func(_ int, block []byte) error {
		h.Reset()
		h.Write(block)
		sums = h.Sum(sums)
		return nil
	})
	return sums, err
}

// unlike finds the blocks of a file that have not the sums of a base.
func unlike(in io.ReadSeeker, sums []byte, sum func() hash.Hash) (head diffHead, err error) {
	whole, h := sha256.New(), sum()
	err = eachBlock(in, func(i int, block []byte) error {
		whole.Write(block)
		head.Size += int64(len(block))
		h.Reset()
		h.Write(block)
		if at := i * sha256.Size; at+sha256.Size > len(sums) || !bytes.Equal(h.Sum(nil), sums[at:at+sha256.Size]) {
			head.Blocks = append(head.Blocks, i)
		}
		return nil
	})
	head.Sum = hex.EncodeToString(whole.Sum(nil))
	return head, err
}

// writeDiff writes the blocks that a head names, compressed and, where there is a key, encrypted.
func writeDiff(in io.ReadSeeker, head diffHead, to string, identity *age.X25519Identity) error {
	line, err := json.Marshal(head)
	if err != nil {
		return err
	}
	return packed(to, identity, func(out io.Writer) error {
		if _, err := out.Write(append(line, '\n')); err != nil {
			return err
		}
		at := 0
		return eachBlock(in, func(i int, block []byte) error {
			if at == len(head.Blocks) || head.Blocks[at] != i {
				return nil
			}
			at++
			_, err := out.Write(block)
			return err
		})
	})
}

// packed writes a file that is compressed with zstd, whose frames carry a checksum of what is in them, and encrypted
// where there is a key, and syncs it.
func packed(to string, identity *age.X25519Identity, write func(io.Writer) error) error {
	out, err := os.OpenFile(to, os.O_CREATE|os.O_WRONLY|os.O_TRUNC, 0o600)
	if err != nil {
		return err
	}
	sealed, err := encrypted(out, identity)
	if err != nil {
		return errors.Join(err, out.Close())
	}
	z, err := zstd.NewWriter(sealed, zstd.WithEncoderCRC(true), zstd.WithEncoderConcurrency(1))
	if err == nil {
		err = errors.Join(write(z), z.Close())
	}
	err = errors.Join(err, sealed.Close())
	return errors.Join(err, out.Sync(), out.Close())
}

// applyDiff makes of the base's database, in a file, the one that a backup is of.
func applyDiff(body io.Reader, to string) (err error) {
	r := bufio.NewReaderSize(body, blockSize)
	line, err := r.ReadBytes('\n')
	var head diffHead
	if err == nil {
		err = json.Unmarshal(line, &head)
	}
	if err != nil {
		return fmt.Errorf("this backup is damaged: %w", err)
	}
	out, err := os.OpenFile(to, os.O_RDWR, 0o600)
	if err != nil {
		return err
	}
	defer func() { err = errors.Join(err, out.Close()) }()
	if err := out.Truncate(head.Size); err != nil {
		return err
	}
	block := make([]byte, blockSize)
	for _, i := range head.Blocks {
		at := int64(i) * blockSize
		n := min(blockSize, head.Size-at)
		if i < 0 || n <= 0 {
			return errors.New("this backup is damaged: it has a block behind its end")
		}
		if _, err := io.ReadFull(r, block[:n]); err != nil {
			return fmt.Errorf("this backup is damaged: %w", err)
		}
		if _, err := out.WriteAt(block[:n], at); err != nil {
			return err
		}
	}
	if _, err := out.Seek(0, io.SeekStart); err != nil {
		return err
	}
	sum := sha256.New()
	if _, err := io.Copy(sum, out); err != nil {
		return err
	}
	if hex.EncodeToString(sum.Sum(nil)) != head.Sum {
		return errors.New("this backup is damaged, or the one that it rests on is")
	}
	return out.Sync()
}

// unpackDiff writes the database of a backup that has a base to a file.
func unpackDiff(from, to string, on int64) error {
	list, err := backups(filepath.Dir(from))
	if err != nil {
		return err
	}
	for _, b := range list {
		if b.number != on || b.on != 0 {
			continue
		}
		if err := unpack(filepath.Join(filepath.Dir(from), b.name), to); err != nil {
			return fmt.Errorf("%s, on which it rests: %w", b.name, err)
		}
		return reading(from, func(body io.Reader) error { return applyDiff(body, to) })
	}
	return fmt.Errorf("the backup %06d, on which it rests, is gone", on)
}
