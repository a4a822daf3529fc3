import io
import numpy
import pydicom
from pydicom.dataset import FileDataset, FileMetaDataset
from pydicom.uid import ExplicitVRLittleEndian, generate_uid
meta = FileMetaDataset()
meta.TransferSyntaxUID = ExplicitVRLittleEndian
data = FileDataset("x", {}, file_meta=meta, preamble=b"\0" * 128)
data.PatientName = "Halcyon^Ada"
data.Rows, data.Columns, data.BitsAllocated, data.BitsStored, data.SamplesPerPixel = 2, 2, 8, 8, 1
data.PixelRepresentation, data.HighBit, data.PhotometricInterpretation = 0, 7, "MONOCHROME2"
data.PixelData = bytes(range(4))
data.is_little_endian, data.is_implicit_VR = True, False
print(data.pixel_array.tolist(), data.PatientName.family_name)
print(pydicom.datadict.keyword_for_tag(0x00100010))
