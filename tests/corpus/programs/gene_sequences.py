from io import StringIO
from Bio import SeqIO, Align
from Bio.Align import substitution_matrices
from Bio.Seq import Seq
print(Seq("ATGGCC").translate())
aligner = Align.PairwiseAligner()
aligner.substitution_matrix = substitution_matrices.load("BLOSUM62")
print(aligner.score("KEVLA", "EVL"))
print([r.id for r in SeqIO.parse(StringIO(">a\nATG\n>b\nCCC\n"), "fasta")])
